#include "desk/benches/quality_plot.h"

#include "desk/theme/theme.h"

#include <QMouseEvent>
#include <QPainter>

#include <algorithm>
#include <cmath>
#include <limits>

namespace pathmark::desk {
namespace {

/// Seeing and cloud make frames worse upwards in these, downwards in the others.
bool worseAbove(night::Quality quality) {
    return quality != night::Quality::Stars && quality != night::Quality::Transparency;
}

} // namespace

QualityPlot::QualityPlot(QWidget* parent) : QWidget(parent) {
    setObjectName("qualityPlot");
    setMinimumHeight(170);
    setToolTip("Drag the line: frames beyond it are hatched. Q shows the next quality.");
}

void QualityPlot::setNight(const NightSnapshot* night) {
    night_ = night;
    measure();
    update();
}

void QualityPlot::setQuality(night::Quality quality) {
    rule_.quality = quality;
    rule_.above = worseAbove(quality);
    rule_.limit = rule_.above ? 1.4 : 0.7;
    measure();
    update();
    emit ruleChanged();
}

void QualityPlot::measure() {
    ratios_.clear();
    low_ = std::min(0.6, rule_.above ? 1.0 : rule_.limit);
    high_ = std::max(1.6, rule_.limit * 1.1);
    if (night_ == nullptr) {
        return;
    }
    ratios_ = night::qualitiesOf(night_->lights, rule_.quality);
    const auto medians = night::seriesMedians(night_->lights, ratios_);
    for (std::size_t i = 0; i < ratios_.size(); ++i) {
        ratios_[i] =
            medians[i] > 0.0 ? ratios_[i] / medians[i] : std::numeric_limits<double>::quiet_NaN();
        if (std::isfinite(ratios_[i])) {
            low_ = std::min(low_, ratios_[i]);
            high_ = std::max(high_, 1.1 * std::min(ratios_[i], 4.0));
        }
    }
}

std::vector<int> QualityPlot::fallingOut() const {
    std::vector<int> list;
    if (night_ == nullptr) {
        return list;
    }
    const auto out = night::fallsOut(night_->lights, rule_);
    for (std::size_t i = 0; i < out.size(); ++i) {
        if (out[i] && !night_->excluded[i]) {
            list.push_back(static_cast<int>(i));
        }
    }
    return list;
}

QRectF QualityPlot::area() const {
    return QRectF(rect()).adjusted(44, 26, -12, -12);
}

double QualityPlot::yOf(double ratio) const {
    const QRectF a = area();
    const double t = (std::clamp(ratio, low_, high_) - low_) / (high_ - low_);
    return a.bottom() - t * a.height();
}

double QualityPlot::limitY() const {
    return yOf(rule_.limit);
}

QPointF QualityPlot::markOf(int light) const {
    const QRectF a = area();
    const auto count = static_cast<double>(std::max<std::size_t>(1, ratios_.size()));
    return {a.left() + (light + 0.5) / count * a.width(),
            yOf(ratios_[static_cast<std::size_t>(light)])};
}

void QualityPlot::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    const Colours& c = colours();
    painter.fillRect(rect(), c.ground);
    const QRectF a = area();
    painter.setPen(c.text);
    painter.drawText(QRectF(10, 4, width() - 20, 18),
                     QString("%1 of each light, over the median of its series")
                         .arg(night::title(rule_.quality)));
    painter.setPen(QPen(c.line, 1));
    painter.drawRect(a);
    painter.setPen(c.quiet);
    for (const double tick : {0.5, 1.0, 1.5, 2.0, 3.0}) {
        if (tick > low_ && tick < high_) {
            painter.drawText(QRectF(0, yOf(tick) - 8, 38, 16),
                             Qt::AlignRight | Qt::AlignVCenter,
                             QString::number(tick));
            painter.drawLine(QPointF(a.left() - 3, yOf(tick)), QPointF(a.left(), yOf(tick)));
        }
    }
    if (night_ == nullptr ||
        std::none_of(ratios_.begin(), ratios_.end(), [](double r) { return std::isfinite(r); })) {
        painter.drawText(a,
                         Qt::AlignCenter | Qt::TextWordWrap,
                         "Run the night (Ctrl+R): the frames are judged as they are calibrated.");
        return;
    }
    const auto out = night::fallsOut(night_->lights, rule_);
    for (std::size_t i = 0; i < ratios_.size(); ++i) {
        if (!std::isfinite(ratios_[i])) {
            continue;
        }
        const QPointF at = markOf(static_cast<int>(i));
        if (night_->excluded[i]) {
            painter.setPen(QPen(c.quiet, 1));
            painter.drawLine(at - QPointF(3, 3), at + QPointF(3, 3));
        } else if (out[i]) {
            painter.setPen(QPen(c.disagrees, 1.6));
            painter.drawLine(at - QPointF(4, 4), at + QPointF(4, 4));
            painter.drawLine(at - QPointF(4, -4), at + QPointF(4, -4));
        } else {
            painter.setPen(QPen(c.agreed, 1.6));
            painter.drawLine(at - QPointF(0, 4), at + QPointF(0, 4));
        }
    }
    painter.setPen(QPen(c.disagrees, 1.4, Qt::DashLine));
    painter.drawLine(QPointF(a.left(), limitY()), QPointF(a.right(), limitY()));
    painter.setBrush(c.disagrees);
    painter.setPen(Qt::NoPen);
    painter.drawRect(QRectF(a.right() - 3, limitY() - 7, 9, 14));
    painter.setBrush(Qt::NoBrush);
    painter.setPen(c.disagrees);
    painter.drawText(QRectF(a.left() + 6, limitY() - 16, a.width() - 12, 14),
                     Qt::AlignRight,
                     QString::fromStdString(night::words(rule_)));
}

void QualityPlot::moveLimit(double y) {
    const QRectF a = area();
    const double t = std::clamp((a.bottom() - y) / a.height(), 0.0, 1.0);
    rule_.limit = std::round(100.0 * (low_ + t * (high_ - low_))) / 100.0;
    update();
    emit ruleChanged();
}

void QualityPlot::mousePressEvent(QMouseEvent* event) {
    if (std::abs(event->position().y() - limitY()) < 8.0) {
        dragging_ = true;
        return;
    }
    for (std::size_t i = 0; i < ratios_.size(); ++i) {
        if (std::isfinite(ratios_[i]) &&
            QLineF(markOf(static_cast<int>(i)), event->position()).length() < 8.0) {
            emit frameChosen(static_cast<int>(i));
            return;
        }
    }
}

void QualityPlot::mouseMoveEvent(QMouseEvent* event) {
    if (dragging_) {
        moveLimit(event->position().y());
    }
}

void QualityPlot::mouseReleaseEvent(QMouseEvent*) {
    dragging_ = false;
}

} // namespace pathmark::desk
