#include "desk/sky/sky_snapshot.h"

#include "desk/sky/sky_view.h"
#include "desk/theme/theme.h"

#include <QPainter>

#include <algorithm>

namespace pathmark::desk {

QImage skySnapshot(SkyView& sky, const QString& caption) {
    constexpr double fineness = 2.0;
    const int strip = sky.fontMetrics().height() + 12;
    QImage image(QSize(sky.width(), sky.height() + strip) * fineness, QImage::Format_RGB32);
    image.setDevicePixelRatio(fineness);
    image.fill(skyColours().ground);
    sky.render(&image);
    QPainter painter(&image);
    painter.setFont(sky.font());
    painter.setPen(skyColours().text);
    painter.drawText(QRect(10, sky.height(), sky.width() - 20, strip),
                     Qt::AlignLeft | Qt::AlignVCenter,
                     painter.fontMetrics().elidedText(caption, Qt::ElideRight, sky.width() - 20));
    return image;
}

QImage sideBySide(const QImage& left, const QImage& right) {
    constexpr int between = 8;
    QImage both(left.width() + between + right.width(),
                std::max(left.height(), right.height()),
                QImage::Format_RGB32);
    both.fill(skyColours().ground);
    QPainter painter(&both);
    const auto put = [&](const QImage& image, int x) {
        painter.drawImage(QRect(QPoint(x, 0), image.size()), image, image.rect());
    };
    put(left, 0);
    put(right, left.width() + between);
    return both;
}

} // namespace pathmark::desk
