#include "desk/picture/histogram_view.h"

#include "desk/theme/theme.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>

#include <algorithm>
#include <cmath>

namespace pathmark::desk {
namespace {

constexpr double kMargin = 14.0;
constexpr double kMarkHalf = 6.0;
constexpr std::array kMarks{
    HistogramView::Mark::Black, HistogramView::Mark::Bend, HistogramView::Mark::White};
constexpr double kLeastSoftness = 0.05; ///< sigmas
constexpr double kKeyStep = 0.01;       ///< of the axis

} // namespace

HistogramView::HistogramView(QWidget* parent) : QWidget(parent) {
    setObjectName("histogram");
    setAccessibleName(tr("Histogram with black, bend and white"));
    setFocusPolicy(Qt::StrongFocus);
    setMouseTracking(true);
    setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Preferred);
    setToolTip(
        tr("How often each light is in the picture, from the sky's own to the brightest star. "
           "Draw black, the bend and white along; the curve is the brightness on the screen."));
}

QSize HistogramView::sizeHint() const {
    constexpr double height = 240.0;
    return {300, static_cast<int>(scaled(height))};
}

void HistogramView::setHistogram(const picture::LightHistogram* histogram) {
    histogram_ = histogram;
    update();
}

void HistogramView::setStretch(const picture::Stretch& stretch) {
    stretch_ = stretch;
    update();
}

QRectF HistogramView::field() const {
    const double label = scaled(20.0);
    return QRectF(rect()).adjusted(kMargin, kMargin, -kMargin, -kMargin - label);
}

double HistogramView::xOf(double light) const {
    const QRectF f = field();
    const double share =
        (histogram_->axisOf(light) - histogram_->first) / (histogram_->last() - histogram_->first);
    return f.left() + std::clamp(share, 0.0, 1.0) * f.width();
}

double HistogramView::lightAt(double x) const {
    const QRectF f = field();
    const double share = std::clamp((x - f.left()) / f.width(), 0.0, 1.0);
    return histogram_->lightAt(histogram_->first +
                               share * (histogram_->last() - histogram_->first));
}

double HistogramView::bendLight() const {
    return stretch_.black + stretch_.softness;
}

QPointF HistogramView::placeOf(Mark mark) const {
    const QRectF f = field();
    const double light = mark == Mark::Black   ? stretch_.black
                         : mark == Mark::White ? stretch_.white
                                               : bendLight();
    const double bright = std::clamp(picture::brightnessOf(stretch_, light), 0.0, 1.0);
    return {xOf(light), f.bottom() - bright * f.height()};
}

void HistogramView::moveTo(Mark mark, double light) {
    const double noise = histogram_->ground.noise;
    picture::Stretch stretch = stretch_;
    switch (mark) {
    case Mark::Black: stretch.black = std::min(light, stretch.white - 2.0 * noise); break;
    case Mark::White: stretch.white = std::max(light, stretch.black + 2.0 * noise); break;
    case Mark::Bend:
        stretch.softness = std::max(light - stretch.black, kLeastSoftness * noise);
        break;
    }
    stretch_ = stretch;
    update();
    emit moved(stretch_);
}

void HistogramView::mousePressEvent(QMouseEvent* event) {
    if (histogram_ == nullptr || event->button() != Qt::LeftButton) {
        return;
    }
    const QPointF at = event->position();
    mark_ = *std::ranges::min_element(kMarks, {}, [&](Mark mark) {
        const QPointF off = placeOf(mark) - at;
        return std::hypot(off.x(), off.y());
    });
    isDragged_ = true;
    moveTo(mark_, lightAt(at.x()));
}

void HistogramView::mouseMoveEvent(QMouseEvent* event) {
    if (isDragged_ && histogram_ != nullptr) {
        moveTo(mark_, lightAt(event->position().x()));
    }
}

void HistogramView::mouseReleaseEvent(QMouseEvent*) {
    if (isDragged_) {
        isDragged_ = false;
        emit rested();
    }
}

void HistogramView::keyPressEvent(QKeyEvent* event) {
    const int by = event->key() == Qt::Key_Left ? -1 : event->key() == Qt::Key_Right ? 1 : 0;
    if (by == 0 || histogram_ == nullptr) {
        QWidget::keyPressEvent(event);
        return;
    }
    const double step = kKeyStep * ((event->modifiers() & Qt::ShiftModifier) != 0 ? 5.0 : 1.0);
    moveTo(mark_, lightAt(placeOf(mark_).x() + by * step * field().width()));
    emit rested();
}

/// Tab goes from mark to mark before it leaves.
bool HistogramView::focusNextPrevChild(bool next) {
    const auto at = static_cast<int>(mark_) + (next ? 1 : -1);
    if (hasFocus() && at >= 0 && at < static_cast<int>(kMarks.size())) {
        mark_ = kMarks[static_cast<std::size_t>(at)];
        update();
        return true;
    }
    return QWidget::focusNextPrevChild(next);
}

void HistogramView::focusInEvent(QFocusEvent* event) {
    if (event->reason() == Qt::TabFocusReason) {
        mark_ = Mark::Black;
    } else if (event->reason() == Qt::BacktabFocusReason) {
        mark_ = Mark::White;
    }
    QWidget::focusInEvent(event);
    update();
}

void HistogramView::focusOutEvent(QFocusEvent* event) {
    QWidget::focusOutEvent(event);
    update();
}

void HistogramView::drawCounts(QPainter& painter) const {
    const QRectF f = field();
    const double most = *std::ranges::max_element(histogram_->counts);
    const double scale = most > 0.0 ? f.height() / std::log1p(most) : 0.0;
    const double width = f.width() / static_cast<double>(histogram_->counts.size());
    QPainterPath path;
    path.moveTo(f.bottomLeft());
    for (std::size_t k = 0; k < histogram_->counts.size(); ++k) {
        const double y = f.bottom() - scale * std::log1p(histogram_->counts[k]);
        path.lineTo(f.left() + static_cast<double>(k) * width, y);
        path.lineTo(f.left() + static_cast<double>(k + 1) * width, y);
    }
    path.lineTo(f.bottomRight());
    path.closeSubpath();
    QColor fill = colours().quiet;
    fill.setAlphaF(0.35F);
    painter.fillPath(path, fill);
}

void HistogramView::drawCurve(QPainter& painter) const {
    const QRectF f = field();
    QPainterPath path;
    constexpr int steps = 120;
    for (int k = 0; k <= steps; ++k) {
        const double x = f.left() + f.width() * k / steps;
        const double bright = std::clamp(picture::brightnessOf(stretch_, lightAt(x)), 0.0, 1.0);
        const QPointF at(x, f.bottom() - bright * f.height());
        if (k == 0) {
            path.moveTo(at);
        } else {
            path.lineTo(at);
        }
    }
    painter.setPen(QPen(colours().text, 1.4));
    painter.drawPath(path);
}

void HistogramView::drawMarks(QPainter& painter) const {
    const Colours& c = colours();
    const std::array names{tr("black"), tr("bend"), tr("white")};
    for (const Mark mark : kMarks) {
        const QPointF at = placeOf(mark);
        const bool isInHand = mark == mark_ && (hasFocus() || isDragged_);
        const QColor colour = isInHand ? c.text : c.quiet;
        QColor line = colour;
        line.setAlphaF(0.5F);
        painter.setPen(QPen(line, 1.0, Qt::DotLine));
        painter.drawLine(QPointF(at.x(), field().top()), QPointF(at.x(), field().bottom()));
        painter.setPen(QPen(colour, isInHand ? 2.6 : 1.4));
        painter.setBrush(mark == Mark::Black   ? QColor(Qt::black)
                         : mark == Mark::White ? QColor(Qt::white)
                                               : QColor(Qt::gray));
        painter.drawRect(
            QRectF(at.x() - kMarkHalf, at.y() - kMarkHalf, 2.0 * kMarkHalf, 2.0 * kMarkHalf));
        painter.setPen(colour);
        const double width = scaled(60.0);
        const double x = std::clamp(at.x() - 0.5 * width, 0.0, this->width() - width);
        painter.drawText(QRectF(x, field().bottom() + 4.0, width, scaled(18.0)),
                         Qt::AlignHCenter | Qt::AlignTop,
                         names[static_cast<std::size_t>(mark)]);
    }
}

void HistogramView::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    painter.fillRect(rect(), colours().ground);
    painter.setPen(colours().line);
    painter.drawRect(field());
    if (histogram_ == nullptr) {
        return;
    }
    drawCounts(painter);
    drawCurve(painter);
    drawMarks(painter);
}

} // namespace pathmark::desk
