#include "desk/plot/motion_plane.h"

#include "desk/theme/theme.h"

#include <QPainter>
#include <QWheelEvent>

#include <algorithm>
#include <cmath>
#include <vector>

namespace pathmark::desk {
namespace {

/// 1, 2 or 5 times a power of ten, near what divides a stretch into five.
double roundStep(double stretch) {
    const double wanted = stretch / 5.0;
    const double ten = std::pow(10.0, std::floor(std::log10(wanted)));
    const double times = wanted / ten;
    return ten * (times < 1.5 ? 1.0 : times < 3.5 ? 2.0 : times < 7.5 ? 5.0 : 10.0);
}

/// All of a step within bounds.
std::vector<double> multiplesOf(double step, double least, double most) {
    std::vector<double> values;
    const int count = static_cast<int>(std::floor(most / step) - std::ceil(least / step)) + 1;
    values.reserve(static_cast<std::size_t>(std::max(0, count)));
    for (int k = 0; k < count; ++k) {
        values.push_back(step * (std::ceil(least / step) + k));
    }
    return values;
}

QString number(double value, double step) {
    const int digits = std::max(0, static_cast<int>(-std::floor(std::log10(step) + 1e-9)));
    return QString::number(std::abs(value) < 1e-9 * step ? 0.0 : value, 'f', digits);
}

} // namespace

MotionPlane::MotionPlane(QWidget* parent) : QWidget(parent) {
    // It must not jump under the hand when the words below it change.
    setSizePolicy(QSizePolicy::Preferred, QSizePolicy::Fixed);
}

QSize MotionPlane::sizeHint() const {
    const int side = static_cast<int>(scaled(316));
    return {side, side};
}

QRectF MotionPlane::plane() const {
    const double left = scaled(46);
    const double below = scaled(36);
    const double side =
        std::max(40.0, std::min(width() - left - scaled(8), height() - below - scaled(8)));
    return {left + 0.5 * (width() - left - scaled(8) - side), scaled(8), side, side};
}

double MotionPlane::pixelsOfOne() const {
    return halfWidth_ > 0.0 ? 0.5 * plane().width() / halfWidth_ : 1.0;
}

QPointF MotionPlane::placeOf(const night::SkyMotion& motion) const {
    const QPointF centre = plane().center();
    return {centre.x() - (motion.east - middle_.east) * pixelsOfOne(),
            centre.y() - (motion.north - middle_.north) * pixelsOfOne()};
}

night::SkyMotion MotionPlane::motionAt(const QPointF& place) const {
    const QPointF off = place - plane().center();
    return {middle_.east - off.x() / pixelsOfOne(), middle_.north - off.y() / pixelsOfOne()};
}

void MotionPlane::drawRates(QPainter& painter) const {
    const double step = roundStep(2.0 * halfWidth_);
    const QPointF still = placeOf({0.0, 0.0});
    painter.setBrush(Qt::NoBrush);
    painter.setPen(QPen(colours().line, 1.0, Qt::DotLine));
    const double farthest = middle_.rate() + 1.5 * halfWidth_;
    const double nearest = std::max(0.0, middle_.rate() - 1.5 * halfWidth_);
    for (const double rate : multiplesOf(step, std::max(step, nearest), farthest)) {
        const double radius = rate * pixelsOfOne();
        painter.drawEllipse(still, radius, radius);
    }
    if (plane().contains(still)) {
        painter.setPen(QPen(colours().quiet, 1.2));
        painter.drawLine(still - QPointF(5, 0), still + QPointF(5, 0));
        painter.drawLine(still - QPointF(0, 5), still + QPointF(0, 5));
        painter.drawText(starsLabel().bottomLeft(), tr("stars"));
    }
}

QRectF MotionPlane::starsLabel() const {
    const QPointF still = placeOf({0.0, 0.0});
    const double high = fontMetrics().ascent();
    return {still.x() + 6.0,
            still.y() - 6.0 - high,
            static_cast<double>(fontMetrics().horizontalAdvance(tr("stars"))),
            high};
}

void MotionPlane::drawAxes(QPainter& painter) const {
    const QRectF area = plane();
    painter.setPen(colours().line);
    painter.setBrush(Qt::NoBrush);
    painter.drawRect(area);
    const double step = roundStep(2.0 * halfWidth_);
    painter.setPen(colours().quiet);
    const auto numbers = [&](double middle) {
        return multiplesOf(step, middle - halfWidth_, middle + halfWidth_);
    };
    const double text = painter.fontMetrics().height();
    for (const double east : numbers(middle_.east)) {
        const double x = placeOf({east, 0.0}).x();
        painter.drawLine(QPointF(x, area.bottom()), QPointF(x, area.bottom() + 3));
        const double wide = painter.fontMetrics().horizontalAdvance(number(east, step));
        const double left = std::min(x - 0.5 * wide, width() - 1.0 - wide);
        painter.drawText(QPointF(left, area.bottom() + 3 + painter.fontMetrics().ascent()),
                         number(east, step));
    }
    for (const double north : numbers(middle_.north)) {
        const double y = placeOf({0.0, north}).y();
        painter.drawLine(QPointF(area.left() - 3, y), QPointF(area.left(), y));
        painter.drawText(QRectF(area.left() - 65, y - 0.5 * text, 60, text),
                         Qt::AlignRight | Qt::AlignVCenter,
                         number(north, step));
    }
    painter.drawText(QRectF(area.left(), area.bottom() + 3 + text, area.width(), text),
                     Qt::AlignHCenter,
                     tr("eastward, \"/min"));
    painter.save();
    painter.translate(area.left() - scaled(46) + text, area.center().y());
    painter.rotate(-90.0);
    painter.drawText(QRectF(-0.5 * area.height(), -text, area.height(), text),
                     Qt::AlignHCenter,
                     tr("northward, \"/min"));
    painter.restore();
}

void MotionPlane::wheelEvent(QWheelEvent* event) {
    if (hasView() && event->angleDelta().y() != 0) {
        emit widthWanted(event->angleDelta().y() > 0 ? 0.8 : 1.25);
    }
    event->accept();
}

void MotionPlane::setView(const night::SkyMotion& middle, double halfWidth) {
    middle_ = middle;
    halfWidth_ = halfWidth;
    update();
}

} // namespace pathmark::desk
