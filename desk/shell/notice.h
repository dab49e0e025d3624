#pragma once

#include <QString>

namespace pathmark::desk {

/// Tells something through the desktop's notifications, where there are any: the observer may be looking elsewhere.
///
/// Source   Desktop Notifications Specification 1.2, freedesktop.org.
void notifyDesktop(const QString& title, const QString& text);

} // namespace pathmark::desk
