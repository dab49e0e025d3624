#pragma once

#include <QImage>
#include <QString>

namespace pathmark::desk {

class SkyView;

/// What the Sky shows, as large as it is on the screen and twice as fine, with a caption below it.
QImage skySnapshot(SkyView& sky, const QString& caption);

} // namespace pathmark::desk
