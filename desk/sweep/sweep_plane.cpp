#include "desk/sweep/sweep_plane.h"

#include "desk/sky/label_ground.h"
#include "desk/theme/theme.h"

#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>

#include <algorithm>
#include <cmath>

namespace pathmark::desk {
namespace {

constexpr double kKnownMark = 3.5; ///< pixels of half a mark
constexpr double kFoundMark = 6.0;
constexpr double kReachOfClick = 8.0;
constexpr double kLeastDrag = 4.0;
constexpr double kLeastNamed = 16.0; ///< pixels across that an area needs for a name
constexpr double kLeastTurn = 2.0;   ///< degrees that a sector is wide at least

night::SkyMotion motionOf(const identify::RateOnSky& rate) {
    return {rate.east, rate.north};
}

bool isWhole(const identify::RateSector& sector) {
    return sector.fromDegrees == sector.toDegrees;
}

/// How far a sector turns, degrees.
double turnOf(const identify::RateSector& sector) {
    const double turn = std::fmod(sector.toDegrees - sector.fromDegrees + 720.0, 360.0);
    return turn == 0.0 ? 360.0 : turn;
}

} // namespace

SweepPlane::SweepPlane(QWidget* parent) : MotionPlane(parent) {
    setObjectName("sweepPlane");
    setAccessibleName(tr("Motions that are searched"));
    setToolTip(tr("Drag from one motion to another: what lies between both in rate and direction "
                  "is searched. Dashed areas: where bodies of each kind move here tonight. Small "
                  "circles: known bodies; crosses: what was found. The wheel shows slower or "
                  "faster motions."));
}

QSize SweepPlane::sizeHint() const {
    const int side = static_cast<int>(scaled(268));
    return {side, side};
}

QString SweepPlane::nameOf(identify::Population population) {
    switch (population) {
    case identify::Population::MainBelt: return tr("main belt");
    case identify::Population::NearEarth: return tr("near-Earth");
    case identify::Population::Trojans: return tr("Trojans");
    case identify::Population::TransNeptunian: break;
    }
    return tr("trans-Neptunian");
}

void SweepPlane::setMostRate(double rate) {
    setView({}, rate);
}

void SweepPlane::setEmptyText(const QString& text) {
    emptyText_ = text;
    update();
}

void SweepPlane::setSector(const identify::RateSector& sector) {
    sector_ = sector;
    update();
}

void SweepPlane::setPopulations(std::vector<identify::PopulationMotion> populations) {
    populations_ = std::move(populations);
    update();
}

void SweepPlane::setMarks(std::vector<MovingMark> marks) {
    marks_ = std::move(marks);
    update();
}

/// A ring of rates, or the part of one between two directions.
void SweepPlane::drawSector(QPainter& painter) const {
    const QPointF still = placeOf({0.0, 0.0});
    const double inner = sector_.least * pixelsOfOne();
    const double outer = sector_.most * pixelsOfOne();
    const QRectF inside(still.x() - inner, still.y() - inner, 2.0 * inner, 2.0 * inner);
    const QRectF outside(still.x() - outer, still.y() - outer, 2.0 * outer, 2.0 * outer);
    QPainterPath path;
    if (isWhole(sector_)) {
        path.addEllipse(outside);
        path.addEllipse(inside);
    } else {
        // East is to the left: position angles turn as angles of the screen do, from north.
        const double from = 90.0 + sector_.fromDegrees;
        const double turn = turnOf(sector_);
        path.arcMoveTo(outside, from);
        path.arcTo(outside, from, turn);
        path.arcTo(inside, from + turn, -turn);
        path.closeSubpath();
    }
    QColor fill = colours().text;
    fill.setAlphaF(0.09F);
    painter.setBrush(fill);
    painter.setPen(QPen(colours().text, 1.5));
    painter.drawPath(path);
}

void SweepPlane::drawPopulations(QPainter& painter, LabelGround& ground) const {
    for (const auto& population : populations_) {
        if (population.outline.size() < 3) {
            continue;
        }
        QPolygonF outline;
        for (const auto& corner : population.outline) {
            outline << placeOf(motionOf(corner));
        }
        // One that reaches all over the plane would only grey it.
        QColor fill = colours().predicted;
        fill.setAlphaF(outline.boundingRect().width() < 0.7 * plane().width() ? 0.10F : 0.0F);
        painter.setBrush(fill);
        painter.setPen(QPen(colours().predicted, 1.3, Qt::DashLine));
        painter.drawPolygon(outline);
        // Beside its edge that is farthest out on the plane, and still to be seen.
        QPointF at = outline.front();
        double farthest = -1.0;
        for (const QPointF& corner : outline) {
            const double out =
                std::hypot(corner.x() - plane().center().x(), corner.y() - plane().center().y());
            if (plane().adjusted(10, 10, -10, -10).contains(corner) && out > farthest) {
                farthest = out;
                at = corner;
            }
        }
        const bool isLarge = std::hypot(outline.boundingRect().width(),
                                        outline.boundingRect().height()) > kLeastNamed;
        if (farthest >= 0.0 && isLarge) {
            painter.setPen(colours().predicted);
            ground.write(painter, at, nameOf(population.population));
        }
    }
}

void SweepPlane::drawMarks(QPainter& painter, LabelGround& ground) const {
    const Colours& c = colours();
    for (const MovingMark& mark : marks_) {
        const QPointF at = placeOf(mark.motion);
        if (!plane().contains(at)) {
            continue;
        }
        const QColor colour = mark.isInHand ? c.inHand : mark.isKnown ? c.predicted : c.agreed;
        for (const QPen& pen : {QPen(c.ground, 4.0), QPen(colour, 1.8)}) {
            painter.setPen(pen);
            painter.setBrush(Qt::NoBrush);
            if (mark.isKnown) {
                painter.drawEllipse(at, kKnownMark, kKnownMark);
            } else {
                const QPointF way(kFoundMark, kFoundMark);
                const QPointF other(kFoundMark, -kFoundMark);
                painter.drawLine(at - way, at - 0.35 * way);
                painter.drawLine(at + 0.35 * way, at + way);
                painter.drawLine(at - other, at - 0.35 * other);
                painter.drawLine(at + 0.35 * other, at + other);
            }
        }
        if (!mark.label.isEmpty()) {
            painter.setPen(colour);
            ground.write(painter, at, mark.label);
        }
    }
}

void SweepPlane::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    painter.fillRect(rect(), colours().ground);
    if (!hasView()) {
        painter.setPen(colours().quiet);
        painter.drawText(
            rect().adjusted(12, 8, -12, -8), Qt::AlignCenter | Qt::TextWordWrap, emptyText_);
        return;
    }
    painter.save();
    painter.setClipRect(plane());
    drawRates(painter);
    LabelGround ground(plane(), [](const QRectF&) { return 0.0; });
    ground.keepFree(starsLabel());
    for (const MovingMark& mark : marks_) {
        const QPointF at = placeOf(mark.motion);
        const QPointF half(kFoundMark, kFoundMark);
        ground.keepFree(QRectF(at - half, at + half));
    }
    drawPopulations(painter, ground);
    drawSector(painter);
    drawMarks(painter, ground);
    painter.restore();
    drawAxes(painter);
}

/// Between the rates and the directions of two places, the shorter way round; a drag over the stars' place takes all directions.
identify::RateSector SweepPlane::sectorBetween(const QPointF& a, const QPointF& b) const {
    const night::SkyMotion first = motionAt(a);
    const night::SkyMotion last = motionAt(b);
    identify::RateSector sector;
    sector.least = std::min(first.rate(), last.rate());
    sector.most = std::max(first.rate(), last.rate());
    double from = first.positionAngleDegrees();
    double turn = std::remainder(last.positionAngleDegrees() - from, 360.0);
    if (std::abs(turn) > 150.0 || sector.least * pixelsOfOne() < kReachOfClick) {
        return sector; // all directions
    }
    if (turn < 0.0) {
        from = last.positionAngleDegrees();
        turn = -turn;
    }
    if (turn < kLeastTurn) {
        from -= 0.5 * (kLeastTurn - turn);
        turn = kLeastTurn;
    }
    sector.fromDegrees = std::fmod(from + 360.0, 360.0);
    sector.toDegrees = std::fmod(from + turn + 360.0, 360.0);
    return sector;
}

const MovingMark* SweepPlane::markAt(const QPointF& place) const {
    const MovingMark* nearest = nullptr;
    double least = kReachOfClick;
    for (const MovingMark& mark : marks_) {
        const QPointF off = placeOf(mark.motion) - place;
        const double apart = std::hypot(off.x(), off.y());
        if (!mark.id.isEmpty() && apart < least) {
            least = apart;
            nearest = &mark;
        }
    }
    return nearest;
}

void SweepPlane::mousePressEvent(QMouseEvent* event) {
    if (event->button() == Qt::LeftButton && hasView() && plane().contains(event->position())) {
        pressedAt_ = event->position();
    }
}

void SweepPlane::mouseMoveEvent(QMouseEvent* event) {
    if (!pressedAt_) {
        return;
    }
    const QPointF off = event->position() - *pressedAt_;
    if (std::hypot(off.x(), off.y()) >= kLeastDrag) {
        setSector(sectorBetween(*pressedAt_, event->position()));
    }
}

void SweepPlane::mouseReleaseEvent(QMouseEvent* event) {
    if (event->button() != Qt::LeftButton || !pressedAt_) {
        return;
    }
    const QPointF from = *pressedAt_;
    pressedAt_.reset();
    const QPointF off = event->position() - from;
    if (std::hypot(off.x(), off.y()) >= kLeastDrag) {
        setSector(sectorBetween(from, event->position()));
        emit sectorDrawn(sector_);
    } else if (const MovingMark* mark = markAt(from)) {
        emit picked(mark->id);
    }
}

void SweepPlane::changeEvent(QEvent* event) {
    if (event->type() == QEvent::FontChange) {
        updateGeometry();
    }
    QWidget::changeEvent(event);
}

} // namespace pathmark::desk
