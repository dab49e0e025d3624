#include "desk/solve/night_curves.h"

#include "core/night/drift.h"
#include "desk/shell/words.h"

#include <QCoreApplication>

#include <algorithm>
#include <array>
#include <cmath>
#include <limits>
#include <optional>

namespace pathmark::desk {
namespace {

/// One value of every light; nothing where it has none.
struct Curve {
    QString label; ///< of its axis
    QString words;
    int decimals = 0;
    std::vector<std::optional<double>> values;
};

std::vector<Curve> curvesOf(const NightSnapshot& night) {
    using night::Drift;
    using night::LightRecord;
    using Value = std::optional<double>;
    std::vector<Curve> curves;
    const auto add =
        [&](const QString& label, const QString& text, int decimals, const auto& value) {
            Curve curve{label, text, decimals, {}};
            for (const LightRecord& light : night.lights) {
                curve.values.push_back(light.solved() ? value(light) : Value());
            }
            curves.push_back(std::move(curve));
        };
    add(Words::tr("residual ″"), Words::tr("residual along an axis"), 3, [](const LightRecord& l) {
        return Value(l.rmsArcsec);
    });
    add(Words::tr("stars"), Words::tr("stars in the solution"), 0, [](const LightRecord& l) {
        return Value(static_cast<double>(l.matchedStars));
    });
    add("FWHM ″", "FWHM", 2, [](const LightRecord& l) {
        return Value(l.fwhmPixels * l.wcs->scaleArcsec());
    });
    add(Words::tr("limit mag"),
        Words::tr("limiting magnitude at 5 σ"),
        2,
        [](const LightRecord& l) {
            return l.photometry ? Value(l.photometry->limitingMag) : Value();
        });
    const auto drifts = night::driftOf(night.lights);
    const auto addDrift =
        [&](const QString& label, const QString& text, int decimals, double Drift::*part) {
            Curve curve{label, text, decimals, {}};
            for (const auto& drift : drifts) {
                curve.values.push_back(drift ? Value((*drift).*part) : Value());
            }
            curves.push_back(std::move(curve));
        };
    addDrift(
        "RA ″", Words::tr("pointing since the first frame of the series, RA"), 1, &Drift::raArcsec);
    addDrift("Dec ″",
             Words::tr("pointing since the first frame of the series, Dec"),
             1,
             &Drift::decArcsec);
    addDrift(Words::tr("turn °"), Words::tr("turn of the camera"), 3, &Drift::turnDegrees);
    addDrift(
        Words::tr("scale ppm"), Words::tr("scale, parts in a million"), 0, &Drift::scalePerMillion);
    return curves;
}

/// The frames that have the value, and below them crosses for those that have none.
std::array<PlotSet, 2> setsOf(const Curve& curve, int panel, const NightSnapshot& night) {
    PlotSet solved{curve.words, panel, PlotRole::Agreed, PlotMark::Level, false, {}};
    PlotSet unsolved{
        Words::tr("not solved"), panel, PlotRole::Disagrees, PlotMark::Cross, false, {}};
    double low = std::numeric_limits<double>::infinity();
    for (const auto& value : curve.values) {
        low = std::min(low, value.value_or(low));
    }
    for (std::size_t i = 0; i < curve.values.size(); ++i) {
        const auto& value = curve.values[i];
        const QString frame = QString::fromStdString(night.lights[i].raw.filename().string());
        const auto x = static_cast<double>(i + 1);
        const int id = static_cast<int>(i);
        if (value) {
            solved.points.push_back(
                {x,
                 *value,
                 0.0,
                 id,
                 QString("%1: %2 %3").arg(frame, curve.words).arg(*value, 0, 'f', curve.decimals)});
        } else {
            unsolved.points.push_back({x,
                                       std::isfinite(low) ? low : 0.0,
                                       0.0,
                                       id,
                                       QString("%1: %2").arg(frame, unsolved.name)});
        }
    }
    return {std::move(solved), std::move(unsolved)};
}

} // namespace

NightCurves::NightCurves(QWidget* parent) : Plot(parent) {
    setObjectName("nightCurves");
    setLeastHeight(560);
    setEmptyText(tr("No night is open"));
    std::vector<PlotAxis> axes;
    for (const Curve& curve : curvesOf({})) {
        axes.push_back({curve.label, false, false});
    }
    setAxes({tr("frame, in order of time"), false, false}, axes);
}

void NightCurves::setNight(const NightSnapshot* night) {
    std::vector<PlotSet> sets;
    if (night != nullptr) {
        int panel = 0;
        for (const Curve& curve : curvesOf(*night)) {
            for (PlotSet& set : setsOf(curve, panel, *night)) {
                sets.push_back(std::move(set));
            }
            ++panel;
        }
    }
    setSets(std::move(sets));
}

} // namespace pathmark::desk
