#include "desk/sky/sky_marks.h"

#include "desk/theme/theme.h"

#include <QLineF>
#include <QPainter>
#include <QPolygonF>

#include <algorithm>
#include <cmath>
#include <map>
#include <numbers>
#include <optional>

namespace pathmark::desk {
namespace {

/// Free space around a marked place, in pixels of the screen.
constexpr double kClear = 7.0;

QPointF unit(const QPointF& from, const QPointF& to) {
    const QLineF line(from, to);
    return line.length() > 1e-6 ? QPointF(line.dx(), line.dy()) / line.length() : QPointF(1.0, 0.0);
}

QPointF acrossOf(const QPointF& along) {
    return {-along.y(), along.x()};
}

/// Marks nearer to each other than this run together and would hide what lies between them.
constexpr double kApart = 9.0;

/// True where a mark has room after the last one drawn.
bool hasRoom(std::optional<QPointF>& last, const QPointF& place) {
    if (last && QLineF(*last, place).length() < kApart) {
        return false;
    }
    last = place;
    return true;
}

void drawTicks(QPainter& painter,
               const PathMark& mark,
               const std::vector<QPointF>& points,
               const QPointF& along) {
    const QPointF across = acrossOf(along);
    std::optional<QPointF> last;
    for (std::size_t i = 0; i < points.size(); ++i) {
        const bool now = static_cast<int>(i) == mark.tickInHand;
        if (now) {
            // The exposure on screen: two longer strokes that leave the place itself free.
            painter.drawLine(points[i] + kClear * across, points[i] + (kClear + 9.0) * across);
            painter.drawLine(points[i] - kClear * across, points[i] - (kClear + 9.0) * across);
        } else if (mark.inHand && hasRoom(last, points[i])) {
            painter.drawLine(points[i] + 3.0 * across, points[i] + 6.0 * across);
        }
    }
}

void drawChevron(QPainter& painter, const QPointF& tip, const QPointF& along) {
    const QPointF across = acrossOf(along);
    const QPointF head = tip + 14.0 * along;
    painter.drawPolyline(
        QPolygonF({head - 6.0 * along + 4.5 * across, head, head - 6.0 * along - 4.5 * across}));
}

/// Where a body is to 95 % by its orbit, as an outline on the picture.
std::vector<frame::PixelPos> lensOf(const night::PredictionRecord& p, const frame::Wcs& wcs) {
    constexpr double ninetyFive = 2.448; // of two dimensions
    constexpr int corners = 48;
    std::vector<frame::PixelPos> outline;
    const double angle = p.sigmaAngleDegrees * kRadiansPerDegree;
    for (int i = 0; i < corners; ++i) {
        const double turn = 2.0 * std::numbers::pi * i / corners;
        const double along = ninetyFive * p.sigmaMajorArcsec * std::cos(turn);
        const double across = ninetyFive * p.sigmaMinorArcsec * std::sin(turn);
        const double xi = along * std::sin(angle) + across * std::cos(angle);
        const double eta = along * std::cos(angle) - across * std::sin(angle);
        const auto pixel =
            wcs.toPixel(fromTangentPlane(p.sky, {xi * kRadiansPerArcsec, eta * kRadiansPerArcsec}));
        if (!pixel) {
            return {};
        }
        outline.push_back(*pixel);
    }
    return outline;
}

/// A soft veil, darkest at its rim, so that the light inside stays to be seen.
void drawLens(QPainter& painter,
              const PathMark& mark,
              const QColor& colour,
              const ToWidget& toWidget) {
    QPolygonF outline;
    for (const auto& p : mark.lens) {
        outline << toWidget(p);
    }
    const QRectF box = outline.boundingRect();
    // Smaller than the space that the ticks leave free it would only hide the light.
    if (std::max(box.width(), box.height()) < 2.0 * kClear) {
        return;
    }
    QColor soft = colour;
    painter.setBrush(Qt::NoBrush);
    for (const auto& [width, alpha] :
         {std::pair{9.0, 22}, std::pair{5.0, 34}, std::pair{1.5, 70}}) {
        soft.setAlpha(alpha);
        painter.setPen(QPen(soft, width));
        painter.drawPolygon(outline);
    }
}

/// A measured place: an open notch beside it, its gap towards the light.
void drawNotch(QPainter& painter,
               const QPointF& place,
               const QPointF& along,
               night::MeasurementState state) {
    const QPointF across = acrossOf(along);
    const QPointF base = place - (kClear + 3.0) * across;
    switch (state) {
    case night::MeasurementState::Kept:
        painter.drawPolyline(QPolygonF({base - 3.0 * along + 3.0 * across,
                                        base - 3.0 * along,
                                        base + 3.0 * along,
                                        base + 3.0 * along + 3.0 * across}));
        break;
    case night::MeasurementState::Parked:
        painter.drawLine(base - 3.0 * along, base + 3.0 * along);
        break;
    case night::MeasurementState::Dropped:
        painter.drawLine(base - 3.0 * along, base + 3.0 * along - 5.0 * across);
        painter.drawLine(base + 3.0 * along, base - 3.0 * along - 5.0 * across);
        break;
    }
}

} // namespace

std::vector<PathMark> pathMarks(const NightSnapshot& night,
                                const frame::Wcs& wcs,
                                const night::SeriesId& series,
                                const night::FrameId& frameInHand,
                                const orbit::BodyId& bodyInHand) {
    std::map<night::FrameId, const night::LightRecord*> lights;
    for (const auto& light : night.lights) {
        lights[light.frame] = &light;
    }
    std::map<orbit::BodyId, PathMark> marks;
    for (const auto& p : night.predictions) {
        const auto light = lights.find(p.frame);
        if (light == lights.end() || light->second->series != series) {
            continue;
        }
        const auto pixel = wcs.toPixel(p.sky);
        if (!pixel) {
            continue;
        }
        PathMark& mark = marks[p.body];
        mark.name = QString::fromStdString(p.title.empty() ? p.body.text() : p.title);
        mark.inHand = p.body == bodyInHand;
        mark.candidate = p.candidate;
        if (p.frame == frameInHand) {
            mark.tickInHand = static_cast<int>(mark.predicted.size());
            mark.lens = lensOf(p, wcs);
        }
        mark.predicted.push_back(*pixel);
    }
    for (const auto& m : night.measurements) {
        const auto mark = marks.find(m.body);
        const auto pixel = wcs.toPixel(m.sky);
        if (mark != marks.end() && m.seen && pixel) {
            mark->second.measured.push_back(*pixel);
            mark->second.states.push_back(m.state);
        }
    }
    std::vector<PathMark> list;
    for (const BodyView& body : night.bodies) {
        const auto mark = marks.find(body.id);
        // What can't be seen anyway only clutters, unless it is in hand.
        if (mark != marks.end() && (body.inReach() || mark->second.inHand)) {
            list.push_back(mark->second);
        }
    }
    return list;
}

std::vector<PathMark> stackMarks(const std::vector<night::MeasurementRecord>& measurements,
                                 const frame::Wcs& wcs) {
    const auto stack = std::find_if(
        measurements.begin(), measurements.end(), [](const auto& m) { return m.onStack; });
    if (stack == measurements.end()) {
        return {};
    }
    const double angle = stack->positionAngleDegrees * kRadiansPerDegree;
    const double ahead = Angle::arcsec(40.0 * wcs.scaleArcsec()).radians();
    const SkyPos place = stack->seen ? stack->sky : stack->predicted;
    const auto here = wcs.toPixel(place);
    const auto there =
        wcs.toPixel(fromTangentPlane(place, {ahead * std::sin(angle), ahead * std::cos(angle)}));
    if (!here || !there) {
        return {};
    }
    PathMark mark;
    mark.name = QString::fromStdString(stack->body.text());
    mark.predicted = {*here, *there};
    mark.tickInHand = 0;
    mark.inHand = true;
    return {mark};
}

void drawPathMark(QPainter& painter, const PathMark& mark, const ToWidget& toWidget) {
    if (mark.predicted.empty()) {
        return;
    }
    std::vector<QPointF> points;
    for (const auto& p : mark.predicted) {
        points.push_back(toWidget(p));
    }
    const Colours& c = skyColours();
    const QColor colour = mark.inHand ? c.inHand : mark.candidate ? c.agreed : c.predicted;
    const QPointF along = unit(points.front(), points.back());
    drawLens(painter, mark, colour, toWidget);
    QPen pen(colour, 1.2);
    if (!mark.candidate) {
        pen.setDashPattern({5.0, 4.0});
    }
    painter.setPen(pen);
    // The line runs beside the light, not over it.
    const QPointF aside = 11.0 * acrossOf(along);
    painter.drawPolyline(QPolygonF([&] {
        QPolygonF line;
        for (const QPointF& p : points) {
            line << p + aside;
        }
        return line;
    }()));
    painter.setPen(QPen(colour, 1.4));
    drawTicks(painter, mark, points, along);
    drawChevron(painter, points.back() + aside, along);
    std::optional<QPointF> last;
    for (std::size_t i = 0; i < mark.measured.size() && mark.inHand; ++i) {
        if (!hasRoom(last, toWidget(mark.measured[i]))) {
            continue;
        }
        const QColor state = mark.states[i] == night::MeasurementState::Kept      ? c.agreed
                             : mark.states[i] == night::MeasurementState::Dropped ? c.disagrees
                                                                                  : c.quiet;
        painter.setPen(QPen(state, 1.4));
        drawNotch(painter, toWidget(mark.measured[i]), along, mark.states[i]);
    }
    painter.setPen(colour);
    painter.drawText(points.back() + aside + 20.0 * along + QPointF(4.0, 4.0), mark.name);
}

} // namespace pathmark::desk
