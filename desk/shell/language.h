#pragma once

class QCoreApplication;

namespace pathmark::desk {

/// Shows the window in the language of the system where it has a catalogue (share/pathmark/translations/pathmark_LANGUAGE.qm); else in
/// English, whose own catalogue has the plurals alone.
void useLanguage(QCoreApplication& application);

} // namespace pathmark::desk
