#include "desk/sky/star_marks.h"

#include "desk/theme/theme.h"

#include <QLineF>
#include <QPainter>

#include <algorithm>

namespace pathmark::desk {
namespace {

constexpr double kCrowdedRoom = 5.0;
constexpr int kCrowdedLines = 1600; ///< of 400 stars

/// Lines of one kind, drawn at once: thousands of stars are on a frame.
struct Strokes {
    QVector<QLineF> lines;

    void add(QPointF from, QPointF to) { lines.append(QLineF(from, to)); }
};

void addCorners(Strokes& strokes, QPointF p, double room, StarMarkKind kind) {
    const double length = std::clamp(0.5 * room, 2.0, 4.0);
    const bool crossed = kind == StarMarkKind::Rejected;
    for (const double sx : {-1.0, 1.0}) {
        for (const double sy : {-1.0, 1.0}) {
            if (kind == StarMarkKind::Unclear && sx != sy) {
                continue;
            }
            // A cross reaches inwards as well.
            const double away = crossed ? room + 0.5 * length : room;
            const QPointF corner = p + QPointF(sx * away, sy * away);
            if (crossed) {
                strokes.add(corner + QPointF(-length, length) * 0.5,
                            corner + QPointF(length, -length) * 0.5);
                strokes.add(corner + QPointF(-length, -length) * 0.5,
                            corner + QPointF(length, length) * 0.5);
            } else {
                strokes.add(corner, corner + QPointF(sx * length, sy * length));
            }
        }
    }
}

void addBar(Strokes& strokes, QPointF p, double room) {
    const double half = std::clamp(0.7 * room, 2.5, 4.0);
    strokes.add(p + QPointF(-half, room + 2.0), p + QPointF(half, room + 2.0));
}

void addLozenge(Strokes& strokes, QPointF p, double r) {
    const QPointF corners[4] = {
        p + QPointF(0.0, -r), p + QPointF(r, 0.0), p + QPointF(0.0, r), p + QPointF(-r, 0.0)};
    for (int k = 0; k < 4; ++k) {
        strokes.add(corners[k], corners[(k + 1) % 4]);
    }
}

} // namespace

void StarLayer::draw(QPainter& painter, const SkyPlaces& places, LabelGround&) const {
    // Room for the light of a star: its disc grows with the zoom.
    const double room = std::clamp(3.4 * places.zoom, 3.5, 30.0);
    Strokes matched;
    Strokes rejected;
    Strokes unclear;
    Strokes sources;
    Strokes stars;
    Strokes chosen;
    const QRectF near = places.seen.adjusted(-20, -20, 20, 20);
    for (const StarMark& mark : marks_) {
        const QPointF p = places.ofPixel(mark.place);
        if (!near.contains(p)) {
            continue;
        }
        switch (mark.kind) {
        case StarMarkKind::Matched: addCorners(matched, p, room, mark.kind); break;
        case StarMarkKind::Rejected: addCorners(rejected, p, room, mark.kind); break;
        case StarMarkKind::Unclear: addCorners(unclear, p, room, mark.kind); break;
        case StarMarkKind::SourceOnly: addBar(sources, p, room); break;
        case StarMarkKind::StarOnly:
            addLozenge(stars, p, std::clamp(room, 4.0, 7.0) * (1.0 + mark.weight));
            break;
        }
        if (mark.chosen) {
            for (const double side : {-1.0, 1.0}) {
                chosen.add(p + QPointF(side * (room + 8.0), 0.0),
                           p + QPointF(side * (room + 22.0), 0.0));
            }
        }
    }
    const Colours& c = skyColours();
    // Where marks crowd, they stand back before what they mark.
    const bool crowded = room < kCrowdedRoom && matched.lines.size() > kCrowdedLines;
    const auto draw = [&](const Strokes& strokes, QColor colour, double width) {
        colour.setAlphaF(crowded ? 0.6F : 1.0F);
        painter.setPen(QPen(colour, width));
        painter.drawLines(strokes.lines);
    };
    draw(sources, c.quiet, 1.4);
    draw(stars, c.predicted, 1.2);
    draw(matched, c.agreed, room < 5.0 ? 1.0 : 1.3);
    draw(unclear, c.quiet, 1.2);
    draw(rejected, c.disagrees, 1.3);
    draw(chosen, c.text, 1.6);
}

} // namespace pathmark::desk
