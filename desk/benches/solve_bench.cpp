#include "desk/benches/solve_bench.h"

#include "desk/theme/theme.h"

#include <QPainter>

#include <algorithm>
#include <functional>
#include <optional>
#include <vector>

namespace pathmark::desk {
namespace {

struct Curve {
    QString title;
    int decimals;
    std::function<std::optional<double>(const night::LightRecord&)> value;
};

std::vector<Curve> curves() {
    using night::LightRecord;
    return {
        {"Residual, ″ along an axis",
         3,
         [](const LightRecord& l) {
             return l.solved() ? std::optional(l.rmsArcsec) : std::nullopt;
         }},
        {"Stars in the solution",
         0,
         [](const LightRecord& l) {
             return l.solved() ? std::optional(static_cast<double>(l.matchedStars)) : std::nullopt;
         }},
        {"FWHM, ″",
         2,
         [](const LightRecord& l) {
             return l.solved() ? std::optional(l.fwhmPixels * l.wcs->scaleArcsec()) : std::nullopt;
         }},
        {"Limiting magnitude, 5 σ", 2, [](const LightRecord& l) {
             return l.photometry ? std::optional(l.photometry->limitingMag) : std::nullopt;
         }}};
}

void drawCurve(QPainter& painter,
               const QRectF& box,
               const Curve& curve,
               const NightSnapshot& night,
               int inHand) {
    const Colours& c = colours();
    std::vector<std::optional<double>> values;
    double low = 1e30;
    double high = -1e30;
    for (const auto& light : night.lights) {
        values.push_back(curve.value(light));
        if (values.back()) {
            low = std::min(low, *values.back());
            high = std::max(high, *values.back());
        }
    }
    painter.setPen(QPen(c.line, 1.0));
    painter.drawRect(box);
    painter.setPen(c.quiet);
    painter.drawText(box.adjusted(6, 3, -6, 0), Qt::AlignTop | Qt::AlignLeft, curve.title);
    if (low > high) {
        painter.drawText(box, Qt::AlignCenter, "no frame is solved yet");
        return;
    }
    const auto at = static_cast<std::size_t>(std::max(0, inHand));
    if (inHand >= 0 && at < values.size() && values[at]) {
        painter.setPen(c.text);
        painter.drawText(box.adjusted(6, 3, -6, 0),
                         Qt::AlignTop | Qt::AlignRight,
                         QString::number(*values[at], 'f', curve.decimals));
    }
    const double room = std::max((high - low) * 0.15, 1e-6 + 0.02 * std::abs(high));
    const double step =
        (box.width() - 20) / std::max<double>(1.0, static_cast<double>(values.size() - 1));
    for (std::size_t i = 0; i < values.size(); ++i) {
        const double x = box.left() + 10 + step * static_cast<double>(i);
        if (!values[i]) {
            painter.setPen(QPen(c.disagrees, 1.5));
            painter.drawLine(QPointF(x - 2, box.bottom() - 7), QPointF(x + 2, box.bottom() - 3));
            painter.drawLine(QPointF(x - 2, box.bottom() - 3), QPointF(x + 2, box.bottom() - 7));
            continue;
        }
        const double y = box.bottom() - 8 -
                         (*values[i] - low + room) / (high - low + 2 * room) * (box.height() - 30);
        const bool now = static_cast<int>(i) == inHand;
        painter.setPen(QPen(now ? c.text : c.agreed, now ? 2.0 : 1.4));
        painter.drawLine(QPointF(x - 3, y), QPointF(x + 3, y));
        if (now) {
            painter.drawLine(QPointF(x, y - 5), QPointF(x, y - 2));
            painter.drawLine(QPointF(x, y + 2), QPointF(x, y + 5));
        }
    }
}

} // namespace

SolveBench::SolveBench(QWidget* parent) : QWidget(parent) {
    setObjectName("solveBench");
    setMinimumHeight(420);
    setToolTip(
        "Frame by frame in order of time; the frame in hand is marked and its value written.");
}

void SolveBench::setNight(const NightSnapshot* night) {
    night_ = night;
    update();
}

void SolveBench::setFrame(int index) {
    frame_ = index;
    update();
}

void SolveBench::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    painter.fillRect(rect(), colours().ground);
    if (night_ == nullptr || night_->lights.empty()) {
        painter.setPen(colours().quiet);
        painter.drawText(rect(), Qt::AlignCenter, "No night is open");
        return;
    }
    QString problem;
    if (frame_ >= 0 && static_cast<std::size_t>(frame_) < night_->lights.size()) {
        problem = QString::fromStdString(night_->lights[static_cast<std::size_t>(frame_)].problem);
    }
    const double foot = problem.isEmpty() ? 0.0 : 90.0;
    const auto list = curves();
    const double height = (this->height() - 12.0 - foot) / static_cast<double>(list.size());
    for (std::size_t i = 0; i < list.size(); ++i) {
        drawCurve(painter,
                  QRectF(8, 6 + height * static_cast<double>(i), width() - 16, height - 8),
                  list[i],
                  *night_,
                  frame_);
    }
    if (!problem.isEmpty()) {
        painter.setPen(colours().disagrees);
        painter.drawText(QRectF(10, this->height() - foot, width() - 20, foot - 6),
                         Qt::TextWordWrap,
                         "Not solved: " + problem);
    }
}

} // namespace pathmark::desk
