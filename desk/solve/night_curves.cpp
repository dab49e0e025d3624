#include "desk/solve/night_curves.h"

#include "core/night/drift.h"
#include "desk/theme/theme.h"

#include <QPainter>

#include <algorithm>
#include <optional>
#include <vector>

namespace pathmark::desk {
namespace {

using Curve = NightCurves::Curve;

std::vector<Curve> curvesOf(const NightSnapshot& night) {
    using night::Drift;
    using night::LightRecord;
    using Value = std::optional<double>;
    std::vector<Curve> curves;
    const auto add = [&](const QString& title, int decimals, const auto& value) {
        Curve curve{title, decimals, {}};
        for (const LightRecord& light : night.lights) {
            curve.values.push_back(light.solved() ? value(light) : Value());
        }
        curves.push_back(std::move(curve));
    };
    add("Residual, ″ along an axis", 3, [](const LightRecord& l) { return Value(l.rmsArcsec); });
    add("Stars in the solution", 0, [](const LightRecord& l) {
        return Value(static_cast<double>(l.matchedStars));
    });
    add("FWHM, ″", 2, [](const LightRecord& l) {
        return Value(l.fwhmPixels * l.wcs->scaleArcsec());
    });
    add("Limiting magnitude, 5 σ", 2, [](const LightRecord& l) {
        return l.photometry ? Value(l.photometry->limitingMag) : Value();
    });
    const auto drifts = night::driftOf(night.lights);
    const auto addDrift = [&](const QString& title, int decimals, double Drift::*part) {
        Curve curve{title, decimals, {}};
        for (const auto& drift : drifts) {
            curve.values.push_back(drift ? Value((*drift).*part) : Value());
        }
        curves.push_back(std::move(curve));
    };
    addDrift("Pointing since the first of the series, RA, ″", 1, &Drift::raArcsec);
    addDrift("Pointing, Dec, ″", 1, &Drift::decArcsec);
    addDrift("Turn of the camera, °", 3, &Drift::turnDegrees);
    addDrift("Scale, parts in a million", 0, &Drift::scalePerMillion);
    return curves;
}

void drawCurve(QPainter& painter, const QRectF& box, const Curve& curve, int inHand) {
    const Colours& c = colours();
    const auto& values = curve.values;
    double low = 1e30;
    double high = -1e30;
    for (const auto& value : values) {
        if (value) {
            low = std::min(low, *value);
            high = std::max(high, *value);
        }
    }
    painter.setPen(QPen(c.line, 1.0));
    painter.drawRect(box);
    painter.setPen(c.quiet);
    const QString range = low > high ? QString()
                                     : QString("   %1 … %2")
                                           .arg(low, 0, 'f', curve.decimals)
                                           .arg(high, 0, 'f', curve.decimals);
    painter.drawText(box.adjusted(6, 3, -6, 0), Qt::AlignTop | Qt::AlignLeft, curve.title + range);
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

NightCurves::NightCurves(QWidget* parent) : QWidget(parent) {
    setObjectName("nightCurves");
    setMinimumHeight(420);
    setToolTip(
        "Frame by frame in order of time; the frame in hand is marked and its value written.");
}

void NightCurves::setNight(const NightSnapshot* night) {
    curves_ = night != nullptr ? curvesOf(*night) : std::vector<Curve>();
    update();
}

void NightCurves::setFrame(int index) {
    frame_ = index;
    update();
}

void NightCurves::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    painter.fillRect(rect(), colours().ground);
    if (curves_.empty() || curves_.front().values.empty()) {
        painter.setPen(colours().quiet);
        painter.drawText(rect(), Qt::AlignCenter, "No night is open");
        return;
    }
    const double height = (this->height() - 12.0) / static_cast<double>(curves_.size());
    for (std::size_t i = 0; i < curves_.size(); ++i) {
        drawCurve(painter,
                  QRectF(4, 6 + height * static_cast<double>(i), width() - 8, height - 6),
                  curves_[i],
                  frame_);
    }
}

} // namespace pathmark::desk
