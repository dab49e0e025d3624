#include "desk/sky/sky_snapshot.h"

#include "desk/sky/sky_view.h"
#include "desk/theme/theme.h"

#include <QPainter>

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

} // namespace pathmark::desk
