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

/// Parts of a path shorter than this are drawn as one.
constexpr double kShortest = 4.0;

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
               const QPointF& along,
               LabelGround& ground) {
    const QPointF across = acrossOf(along);
    std::optional<QPointF> last;
    for (std::size_t i = 0; i < points.size(); ++i) {
        const bool now = static_cast<int>(i) == mark.currentTick;
        if (now) {
            // The exposure on screen: two longer strokes that leave the place itself free.
            painter.drawLine(points[i] + kClear * across, points[i] + (kClear + 9.0) * across);
            painter.drawLine(points[i] - kClear * across, points[i] - (kClear + 9.0) * across);
            ground.keepFree(QRectF(points[i].x() - 16.0, points[i].y() - 16.0, 32.0, 32.0));
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

/// Where a body is to 95 % by its orbit, as an outline on the sky.
std::vector<SkyPos> uncertaintyOf(const night::PredictionRecord& p) {
    constexpr double ninetyFive = 2.448; // of two dimensions
    constexpr int corners = 48;
    std::vector<SkyPos> outline;
    const double angle = p.sigmaAngleDegrees * kRadiansPerDegree;
    for (int i = 0; i < corners; ++i) {
        const double turn = 2.0 * std::numbers::pi * i / corners;
        const double along = ninetyFive * p.sigmaMajorArcsec * std::cos(turn);
        const double across = ninetyFive * p.sigmaMinorArcsec * std::sin(turn);
        const double xi = along * std::sin(angle) + across * std::cos(angle);
        const double eta = along * std::cos(angle) - across * std::sin(angle);
        outline.push_back(
            fromTangentPlane(p.sky, {xi * kRadiansPerArcsec, eta * kRadiansPerArcsec}));
    }
    return outline;
}

/// A soft veil, darkest at its rim, so that the light inside stays to be seen.
void drawUncertainty(QPainter& painter,
                     const PathMark& mark,
                     const QColor& colour,
                     const SkyPlaces& places) {
    QPolygonF outline;
    for (const SkyPos& p : mark.uncertainty) {
        if (const auto point = places.ofSky(p)) {
            outline << *point;
        }
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

void drawNotches(QPainter& painter,
                 const PathMark& mark,
                 const QPointF& along,
                 const SkyPlaces& places) {
    const Colours& c = skyColours();
    std::optional<QPointF> last;
    for (std::size_t i = 0; i < mark.measured.size(); ++i) {
        const auto place = places.ofSky(mark.measured[i]);
        if (!place || !hasRoom(last, *place)) {
            continue;
        }
        const QColor state = mark.states[i] == night::MeasurementState::Kept      ? c.agreed
                             : mark.states[i] == night::MeasurementState::Dropped ? c.disagrees
                                                                                  : c.quiet;
        painter.setPen(QPen(state, 1.4));
        drawNotch(painter, *place, along, mark.states[i]);
    }
}

/// A path as it lies on the screen.
struct Drawn {
    const PathMark* mark = nullptr;
    std::vector<QPointF> points;
    QPointF along;
    QPointF aside; ///< the line runs beside the light, not over it
    QColor colour;
};

std::optional<Drawn> laidOut(const PathMark& mark, const SkyPlaces& places) {
    Drawn drawn{&mark, {}, {}, {}, {}};
    for (const SkyPos& p : mark.predicted) {
        const auto point = places.ofSky(p);
        if (!point) {
            return std::nullopt; // it is far from what the picture shows
        }
        drawn.points.push_back(*point);
    }
    if (drawn.points.empty()) {
        return std::nullopt;
    }
    const Colours& c = skyColours();
    drawn.colour = mark.inHand ? c.inHand : mark.candidate ? c.agreed : c.predicted;
    drawn.along = unit(drawn.points.front(), drawn.points.back());
    drawn.aside = 11.0 * acrossOf(drawn.along);
    return drawn;
}

void drawPath(QPainter& painter, const Drawn& path, const SkyPlaces& places, LabelGround& ground) {
    drawUncertainty(painter, *path.mark, path.colour, places);
    QPen pen(path.colour, 1.2);
    if (!path.mark->candidate) {
        pen.setDashPattern({5.0, 4.0});
    }
    painter.setPen(pen);
    QPolygonF line;
    for (const QPointF& p : path.points) {
        const QPointF next = p + path.aside;
        if (line.isEmpty() || QLineF(line.back(), next).length() > kShortest) {
            line << next;
        }
    }
    line << path.points.back() + path.aside;
    painter.drawPolyline(line);
    painter.setPen(QPen(path.colour, 1.4));
    drawTicks(painter, *path.mark, path.points, path.along, ground);
    drawChevron(painter, path.points.back() + path.aside, path.along);
    if (path.mark->inHand) {
        drawNotches(painter, *path.mark, path.along, places);
    }
    // Of a path only the ends matter to labels: in between it is all but straight.
    const QPointF tip = 16.0 * path.along;
    ground.keepFree(QLineF(path.points.front(), path.points.back() + tip));
    ground.keepFree(QLineF(line.front(), line.back() + tip));
}

} // namespace

std::vector<PathMark> pathMarks(const NightSnapshot& night,
                                const night::SeriesId& series,
                                const night::FrameId& currentFrame,
                                const orbit::BodyId& currentBody) {
    std::map<orbit::BodyId, const BodyPath*> paths;
    for (const BodyPath& path : night.pathsOf(series)) {
        paths[path.body] = &path;
    }
    std::vector<PathMark> list;
    for (const BodyView& body : night.bodies) {
        const auto path = paths.find(body.id);
        const bool inHand = body.id == currentBody;
        // What can't be seen anyway only clutters, unless it is in hand.
        if (path == paths.end() || !(body.inReach() || inHand)) {
            continue;
        }
        PathMark mark;
        mark.name = QString::fromStdString(path->second->name);
        mark.inHand = inHand;
        mark.candidate = path->second->candidate;
        for (const std::size_t i : path->second->predictions) {
            const auto& p = night.predictions[i];
            if (p.frame == currentFrame) {
                mark.currentTick = static_cast<int>(mark.predicted.size());
                mark.uncertainty = uncertaintyOf(p);
            }
            mark.predicted.push_back(p.sky);
        }
        if (inHand) {
            for (const std::size_t i : night.measuredOf(body.id)) {
                if (const auto& m = night.measurements[i]; m.seen) {
                    mark.measured.push_back(m.sky);
                    mark.states.push_back(m.state);
                }
            }
        }
        list.push_back(std::move(mark));
    }
    return list;
}

std::vector<PathMark> stackMarks(const Measurements& measurements, Angle ahead) {
    const auto stack = std::find_if(
        measurements.begin(), measurements.end(), [](const auto& m) { return m.onStack; });
    if (stack == measurements.end()) {
        return {};
    }
    const double angle = stack->positionAngleDegrees * kRadiansPerDegree;
    const double way = ahead.radians();
    const SkyPos place = stack->seen ? stack->sky : stack->predicted;
    PathMark mark;
    mark.name = QString::fromStdString(stack->body.text());
    mark.predicted = {place,
                      fromTangentPlane(place, {way * std::sin(angle), way * std::cos(angle)})};
    mark.currentTick = 0;
    mark.inHand = true;
    return {mark};
}

void PathLayer::draw(QPainter& painter, const SkyPlaces& places, LabelGround& ground) const {
    std::vector<Drawn> paths;
    for (const PathMark& mark : marks_) {
        if (auto drawn = laidOut(mark, places)) {
            paths.push_back(std::move(*drawn));
        }
    }
    // Labels come last, so that they find all paths; the body in hand has the first choice.
    for (const Drawn& path : paths) {
        drawPath(painter, path, places, ground);
    }
    std::stable_sort(paths.begin(), paths.end(), [](const Drawn& a, const Drawn& b) {
        return a.mark->inHand > b.mark->inHand;
    });
    for (const Drawn& path : paths) {
        painter.setPen(path.colour);
        ground.write(painter, path.points.back() + path.aside + 16.0 * path.along, path.mark->name);
    }
}

} // namespace pathmark::desk
