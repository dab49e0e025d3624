#pragma once

#include <QImage>
#include <QString>

namespace pathmark::desk {

class SkyView;

/// What a view of the sky shows, as large as it is on the screen and twice as fine, with a caption below it.
QImage skySnapshot(SkyView& sky, const QString& caption);

/// Two of them beside each other.
QImage sideBySide(const QImage& left, const QImage& right);

} // namespace pathmark::desk
