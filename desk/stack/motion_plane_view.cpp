#include "desk/stack/motion_plane_view.h"

#include "desk/theme/theme.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>

#include <algorithm>
#include <array>
#include <cmath>
#include <functional>
#include <numbers>
#include <vector>

namespace pathmark::desk {
namespace {

constexpr double kMark = 9.0;          ///< pixels of half a mark
constexpr double kLeastEllipse = 12.0; ///< pixels of half an axis that can be seen beside the mark
constexpr double kReachOfHand = 6.0;

QColor between(const QColor& a, const QColor& b, double t) {
    const auto mix = [&](int x, int y) { return static_cast<int>(std::lround(x + t * (y - x))); };
    return {mix(a.red(), b.red()), mix(a.green(), b.green()), mix(a.blue(), b.blue())};
}

} // namespace

MotionPlaneView::MotionPlaneView(QWidget* parent) : MotionPlane(parent) {
    setObjectName("motionPlane");
    setAccessibleName(tr("Motion plane"));
    setFocusPolicy(Qt::ClickFocus);
    setToolTip(
        tr("Shade: signal-to-noise of the body added up at that motion. Lozenge: the orbit's "
           "motion; cross: what the frames show; ring: the motion in hand, drag it or use the "
           "arrow keys. The wheel shows a wider or narrower plane."));
}

void MotionPlaneView::setSurvey(std::shared_ptr<const night::MotionSurvey> survey) {
    survey_ = std::move(survey);
    setView(survey_ ? survey_->middle : night::SkyMotion{}, survey_ ? survey_->halfWidth : 0.0);
    shade();
}

void MotionPlaneView::setPredicted(const night::SkyMotion& motion,
                                   const night::MotionCovariance& error) {
    predicted_ = motion;
    predictedError_ = error;
    update();
}

void MotionPlaneView::setMotion(const night::SkyMotion& motion) {
    motion_ = motion;
    update();
}

void MotionPlaneView::setEmptyText(const QString& text) {
    emptyText_ = text;
    update();
}

/// From the ground of the window at no light to its text at the highest S/N.
void MotionPlaneView::shade() {
    shade_ = {};
    if (!survey_ || survey_->snr.empty()) {
        return;
    }
    const frame::Image& snr = survey_->snr;
    const auto pixels = snr.pixels();
    const float highest = std::max(6.0F, *std::max_element(pixels.begin(), pixels.end()));
    shade_ = QImage(snr.width(), snr.height(), QImage::Format_RGB32);
    const Colours& c = colours();
    for (int y = 0; y < snr.height(); ++y) {
        for (int x = 0; x < snr.width(); ++x) {
            const double t = std::clamp(static_cast<double>(snr.at(x, y) / highest), 0.0, 1.0);
            shade_.setPixelColor(x, snr.height() - 1 - y, between(c.ground, c.text, 0.85 * t * t));
        }
    }
}

void MotionPlaneView::drawEllipse(QPainter& painter,
                                  const night::SkyMotion& middle,
                                  const night::MotionCovariance& error) const {
    const double half = 0.5 * (error.east + error.north);
    const double root = std::hypot(0.5 * (error.east - error.north), error.both);
    const double angle = 0.5 * std::atan2(2.0 * error.both, error.east - error.north);
    const auto axis = [&](double variance) {
        return std::sqrt(std::max(0.0, variance)) * pixelsOfOne();
    };
    // Smaller than its mark it would only hide it.
    if (axis(half + root) < kLeastEllipse) {
        return;
    }
    painter.save();
    painter.translate(placeOf(middle));
    // East is to the left, and the screen counts downwards.
    painter.rotate(180.0 + angle * 180.0 / std::numbers::pi);
    painter.drawEllipse(QPointF(), axis(half + root), axis(half - root));
    painter.restore();
}

/// The orbit's motion and the fitted one, each twice: over a broader stroke of the ground they are seen on any shade.
void MotionPlaneView::drawMarks(QPainter& painter) const {
    const Colours& c = colours();
    const auto twice = [&](const QColor& colour, const std::function<void()>& draw) {
        painter.setBrush(Qt::NoBrush);
        painter.setPen(QPen(c.ground, 4.5));
        draw();
        painter.setPen(QPen(colour, 2.0));
        draw();
    };
    twice(c.predicted, [&] {
        drawEllipse(painter, predicted_, predictedError_);
        const QPointF orbit = placeOf(predicted_);
        const std::array<QPointF, 4> lozenge{orbit + QPointF(-kMark, 0),
                                             orbit + QPointF(0, -kMark),
                                             orbit + QPointF(kMark, 0),
                                             orbit + QPointF(0, kMark)};
        painter.drawPolygon(lozenge.data(), static_cast<int>(lozenge.size()));
    });
    if (survey_->fitted) {
        twice(c.agreed, [&] {
            drawEllipse(painter, survey_->fitted->motion, survey_->fitted->covariance);
            const QPointF found = placeOf(survey_->fitted->motion);
            const QPointF down(0.5 * kMark, 0.5 * kMark);
            const QPointF up(0.5 * kMark, -0.5 * kMark);
            painter.drawLine(found - down, found + down);
            painter.drawLine(found - up, found + up);
        });
    }
}

void MotionPlaneView::drawMotion(QPainter& painter) const {
    const QPointF place = placeOf(motion_);
    const double ring = scaled(13);
    painter.setBrush(Qt::NoBrush);
    for (const QPen& pen : {QPen(colours().ground, 4.5), QPen(colours().inHand, 2.0)}) {
        painter.setPen(pen);
        painter.drawEllipse(place, ring, ring);
        for (const QPointF& way : {QPointF(1, 0), QPointF(-1, 0), QPointF(0, 1), QPointF(0, -1)}) {
            painter.drawLine(place + ring * way, place + (ring + 5.0) * way);
        }
    }
}

void MotionPlaneView::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    const Colours& c = colours();
    painter.fillRect(rect(), c.ground);
    if (!survey_ || shade_.isNull()) {
        painter.setPen(c.quiet);
        painter.drawText(
            rect().adjusted(12, 8, -12, -8), Qt::AlignCenter | Qt::TextWordWrap, emptyText_);
        return;
    }
    const QRectF area = plane();
    painter.save();
    painter.setClipRect(area);
    painter.setRenderHint(QPainter::SmoothPixmapTransform);
    painter.drawImage(area, shade_);
    drawRates(painter);
    drawMarks(painter);
    drawMotion(painter);
    painter.restore();
    drawAxes(painter);
}

void MotionPlaneView::take(const QPointF& place) {
    const QRectF area = plane();
    motion_ = motionAt({std::clamp(place.x(), area.left(), area.right()),
                        std::clamp(place.y(), area.top(), area.bottom())});
    update();
    emit dragged(motion_);
}

void MotionPlaneView::mousePressEvent(QMouseEvent* event) {
    const bool isOnPlane = plane()
                               .adjusted(-kReachOfHand, -kReachOfHand, kReachOfHand, kReachOfHand)
                               .contains(event->position());
    if (event->button() == Qt::LeftButton && survey_ && isOnPlane) {
        drags_ = true;
        take(event->position());
    }
}

void MotionPlaneView::mouseMoveEvent(QMouseEvent* event) {
    if (drags_) {
        take(event->position());
    }
}

void MotionPlaneView::mouseReleaseEvent(QMouseEvent* event) {
    if (event->button() == Qt::LeftButton) {
        drags_ = false;
    }
}

void MotionPlaneView::keyPressEvent(QKeyEvent* event) {
    QPointF way;
    switch (event->key()) {
    case Qt::Key_Left: way = {-1, 0}; break;
    case Qt::Key_Right: way = {1, 0}; break;
    case Qt::Key_Up: way = {0, -1}; break;
    case Qt::Key_Down: way = {0, 1}; break;
    default: QWidget::keyPressEvent(event); return;
    }
    if (survey_) {
        take(placeOf(motion_) + (event->modifiers() & Qt::ShiftModifier ? 10.0 : 2.0) * way);
    }
}

void MotionPlaneView::changeEvent(QEvent* event) {
    if (event->type() == QEvent::PaletteChange || event->type() == QEvent::FontChange) {
        shade();
        updateGeometry();
    }
    QWidget::changeEvent(event);
}

} // namespace pathmark::desk
