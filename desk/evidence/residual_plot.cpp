#include "desk/evidence/residual_plot.h"

#include "desk/theme/theme.h"

#include <QPainter>

#include <algorithm>
#include <cmath>

namespace pathmark::desk {

ResidualPlot::ResidualPlot(QWidget* parent) : QWidget(parent) {
    setObjectName("residuals");
    setMinimumHeight(150);
    setToolTip("Observed minus computed against time, one standard deviation as bar.");
}

void ResidualPlot::setMeasurements(std::vector<night::MeasurementRecord> measurements) {
    measurements_ = std::move(measurements);
    update();
}

void ResidualPlot::setChosen(int index) {
    chosen_ = index;
    update();
}

void ResidualPlot::drawAxis(QPainter& painter,
                            const QRectF& box,
                            bool declination,
                            double reach) const {
    const Colours& c = colours();
    painter.setPen(QPen(c.line, 1.0));
    painter.drawRect(box);
    const double middle = box.center().y();
    painter.drawLine(QPointF(box.left(), middle), QPointF(box.right(), middle));
    painter.setPen(c.quiet);
    painter.drawText(QRectF(box.left() + 4, box.top() + 1, 90, 14),
                     declination ? "Dec O−C" : "RA O−C");
    painter.drawText(QRectF(box.right() - 64, box.top() + 1, 60, 14),
                     Qt::AlignRight,
                     QString("±%1″").arg(reach, 0, 'g', 2));
    const Utc first = measurements_.front().time;
    const double span = std::max(60.0, measurements_.back().time.secondsSince(first));
    for (std::size_t i = 0; i < measurements_.size(); ++i) {
        const auto& m = measurements_[i];
        if (!m.seen) {
            continue;
        }
        const double value = declination ? m.observedMinusComputedDec : m.observedMinusComputedRa;
        const double sigma = declination ? m.decErrorArcsec : m.raErrorArcsec;
        const double x = box.left() + 10 + m.time.secondsSince(first) / span * (box.width() - 20);
        const auto yOf = [&](double v) {
            return middle - std::clamp(v / reach, -1.0, 1.0) * (0.5 * box.height() - 4);
        };
        const bool chosen = static_cast<int>(i) == chosen_;
        const QColor colour = chosen                                        ? c.inHand
                              : m.state == night::MeasurementState::Kept    ? c.agreed
                              : m.state == night::MeasurementState::Dropped ? c.disagrees
                                                                            : c.quiet;
        painter.setPen(QPen(colour, chosen ? 2.0 : 1.2));
        painter.drawLine(QPointF(x, yOf(value - sigma)), QPointF(x, yOf(value + sigma)));
        if (m.state == night::MeasurementState::Dropped) {
            painter.drawLine(QPointF(x - 3, yOf(value) - 3), QPointF(x + 3, yOf(value) + 3));
            painter.drawLine(QPointF(x - 3, yOf(value) + 3), QPointF(x + 3, yOf(value) - 3));
        } else {
            painter.drawLine(QPointF(x - 3, yOf(value)), QPointF(x + 3, yOf(value)));
        }
    }
}

void ResidualPlot::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    const bool any = std::any_of(
        measurements_.begin(), measurements_.end(), [](const auto& m) { return m.seen; });
    if (!any) {
        painter.setPen(colours().quiet);
        painter.drawText(rect(), Qt::AlignCenter, "Nothing measured yet");
        return;
    }
    double reach = 0.05;
    for (const auto& m : measurements_) {
        if (m.seen) {
            reach = std::max({reach,
                              std::abs(m.observedMinusComputedRa) + m.raErrorArcsec,
                              std::abs(m.observedMinusComputedDec) + m.decErrorArcsec});
        }
    }
    reach *= 1.1;
    const double half = 0.5 * (height() - 6);
    drawAxis(painter, QRectF(2, 1, width() - 5, half), false, reach);
    drawAxis(painter, QRectF(2, half + 5, width() - 5, half - 1), true, reach);
}

} // namespace pathmark::desk
