#include "desk/sky/label_ground.h"

#include <QFontMetricsF>
#include <QPainter>

#include <algorithm>
#include <array>
#include <cmath>
#include <limits>
#include <utility>

namespace pathmark::desk {
namespace {

/// A label this far from its place is joined to it by a line.
constexpr double kNear = 12.0;

constexpr std::array kDistances{6.0, 16.0, 28.0, 44.0};

/// Costs of what a label lies on: less is better, nothing is free ground.
constexpr double kOnLabel = 100.0;
constexpr double kOnLine = 30.0;
constexpr double kOnStar = 10.0;
constexpr double kPerStep = 1.0; ///< of moving one distance away

bool crosses(const QRectF& box, const QLineF& line) {
    if (box.contains(line.p1()) || box.contains(line.p2())) {
        return true;
    }
    const std::array edges{QLineF(box.topLeft(), box.topRight()),
                           QLineF(box.topRight(), box.bottomRight()),
                           QLineF(box.bottomRight(), box.bottomLeft()),
                           QLineF(box.bottomLeft(), box.topLeft())};
    return std::any_of(edges.begin(), edges.end(), [&](const QLineF& edge) {
        return edge.intersects(line, nullptr) == QLineF::BoundedIntersection;
    });
}

/// The box of a label that touches its place from the side that (x, y) points to, at that distance.
QRectF boxBeside(const QPointF& place, const QSizeF& size, double x, double y, double distance) {
    const QPointF middle =
        place + QPointF(x * (distance + 0.5 * size.width()), y * (distance + 0.5 * size.height()));
    return {middle.x() - 0.5 * size.width(),
            middle.y() - 0.5 * size.height(),
            size.width(),
            size.height()};
}

} // namespace

LabelGround::LabelGround(const QRectF& seen, std::function<double(const QRectF&)> light)
    : seen_(seen), light_(std::move(light)) {}

void LabelGround::keepFree(const QLineF& line) {
    lines_.push_back(line);
}

void LabelGround::keepFree(const QRectF& place) {
    taken_.push_back(place);
}

double LabelGround::cost(const QRectF& box) const {
    double cost = seen_.contains(box) ? 0.0 : kOnLabel;
    for (const QRectF& other : taken_) {
        cost += other.intersects(box) ? kOnLabel : 0.0;
    }
    for (const QLineF& line : lines_) {
        cost += crosses(box, line) ? kOnLine : 0.0;
    }
    // The light is looked at only where the rest is free: it takes the longest.
    return cost < kOnStar ? cost + kOnStar * light_(box) : cost;
}

QRectF LabelGround::take(const QPointF& place, const QSizeF& size) {
    // Right of its place first, as labels are read.
    constexpr std::array sides{std::pair{1.0, 0.0},
                               std::pair{1.0, -1.0},
                               std::pair{1.0, 1.0},
                               std::pair{-1.0, 0.0},
                               std::pair{0.0, -1.0},
                               std::pair{0.0, 1.0},
                               std::pair{-1.0, -1.0},
                               std::pair{-1.0, 1.0}};
    QRectF best = boxBeside(place, size, 1.0, 0.0, kDistances.front());
    double least = std::numeric_limits<double>::infinity();
    for (std::size_t step = 0; step < kDistances.size(); ++step) {
        const double moving = kPerStep * static_cast<double>(step);
        if (moving >= least) {
            break;
        }
        for (const auto& [x, y] : sides) {
            const QRectF box = boxBeside(place, size, x, y, kDistances[step]);
            if (const double here = moving + cost(box); here < least) {
                least = here;
                best = box;
            }
        }
    }
    taken_.push_back(best);
    return best;
}

void LabelGround::write(QPainter& painter, const QPointF& place, const QString& text) {
    if (!seen_.contains(place)) {
        return;
    }
    const QFontMetricsF metrics(painter.font());
    const QRectF box = take(place, {metrics.horizontalAdvance(text) + 2.0, metrics.height()});
    const QPointF near(std::clamp(place.x(), box.left(), box.right()),
                       std::clamp(place.y(), box.top(), box.bottom()));
    const QLineF hair(place, near);
    if (hair.length() > kNear) {
        const QPen pen = painter.pen();
        QColor thin = pen.color();
        thin.setAlpha(130);
        painter.setPen(QPen(thin, 0.8));
        painter.drawLine(hair);
        painter.setPen(pen);
    }
    painter.drawText(box, Qt::AlignCenter, text);
}

} // namespace pathmark::desk
