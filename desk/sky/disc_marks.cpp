#include "desk/sky/disc_marks.h"

#include "desk/theme/theme.h"

#include <QLineF>
#include <QPainter>

namespace pathmark::desk {

void DiscLayer::draw(QPainter& painter, const SkyPlaces& places, LabelGround&) const {
    painter.save();
    painter.setRenderHint(QPainter::Antialiasing);
    painter.setBrush(Qt::NoBrush);
    for (const DiscMark& mark : marks_) {
        const QPointF centre = places.ofPixel(mark.centre);
        const QPointF rim = places.ofPixel({mark.centre.x + mark.radius, mark.centre.y});
        const double radius = QLineF(centre, rim).length();
        painter.setPen(
            QPen(skyColours().predicted, 1.5, mark.isMarked ? Qt::SolidLine : Qt::DashLine));
        painter.drawEllipse(centre, radius, radius);
    }
    painter.restore();
}

} // namespace pathmark::desk
