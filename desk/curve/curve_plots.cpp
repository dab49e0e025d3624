#include "desk/curve/curve_plots.h"

#include "core/base/robust.h"
#include "desk/shell/power_text.h"
#include "desk/shell/words.h"

#include <QStringList>

#include <algorithm>
#include <cmath>

namespace pathmark::desk {
namespace {

constexpr int kFoldedSteps = 200;
constexpr double kSecondsInDay = 86400.0;
constexpr int kTellingPoints = 4; ///< before their scatter says anything

/// The phase of a time, from the first of a curve on.
double phaseOf(double days, double period) {
    const double turns = days / period;
    return turns - std::floor(turns);
}

/// The fitted series at the level of the points.
PlotSet fittedSet(const night::TargetCurve& curve, double days) {
    PlotSet set{Words::tr("fitted"), 0, PlotRole::Predicted, PlotMark::None, true, {}};
    const auto points = curve.clean();
    const int harmonics = curve.period ? curve.period->harmonics : 2;
    const auto folded = measure::foldedCurve(points, days, harmonics, kFoldedSteps);
    double level = 0.0;
    double weights = 0.0;
    for (const measure::CurvePoint& p : points) {
        const auto step = static_cast<std::size_t>(phaseOf(p.days, days) * kFoldedSteps);
        const double w = 1.0 / (p.error * p.error);
        level += w * (p.mag - folded[std::min(step, folded.size() - 1)]);
        weights += w;
    }
    for (int i = 0; i < kFoldedSteps; ++i) {
        set.points.push_back({static_cast<double>(i) / kFoldedSteps,
                              level / weights + folded[static_cast<std::size_t>(i)],
                              0.0,
                              -1,
                              {}});
    }
    return set;
}

void addTarget(const night::TargetCurve& curve,
               const std::optional<double>& foldDays,
               std::vector<PlotSet>& sets) {
    PlotSet good{Words::tr("measured"), 0, PlotRole::Agreed, PlotMark::Level, false, {}};
    PlotSet doubtful{Words::tr("flagged"), 0, PlotRole::Quiet, PlotMark::Lozenge, false, {}};
    std::optional<double> first;
    for (std::size_t f = 0; f < curve.points.size(); ++f) {
        const night::TargetPoint& point = curve.points[f];
        if (!point.mag) {
            continue;
        }
        const bool isGood = point.flags.empty();
        if (isGood) {
            first = first.value_or(point.julianTdb);
        }
        const double x = foldDays
                             ? phaseOf(point.julianTdb - first.value_or(point.julianTdb), *foldDays)
                             : plotTime(point.time);
        const double y = foldDays ? point.reducedMag.value_or(*point.mag) : *point.mag;
        (isGood ? good : doubtful)
            .points.push_back({x, y, point.magError, static_cast<int>(f), {}});
    }
    if (foldDays && !curve.clean().empty()) {
        sets.push_back(fittedSet(curve, *foldDays));
    }
    sets.push_back(std::move(good));
    sets.push_back(std::move(doubtful));
}

/// What comparison stars are expected to scatter by, by brightness: the median of so many at a time, as stars that miss frames or stand in
/// others' light lie off the line.
std::vector<PlotPoint> expectedLine(const night::BandCurves& curves) {
    constexpr std::size_t together = 9;
    std::vector<PlotPoint> all;
    for (const night::FieldStar& star : curves.stars) {
        if (star.scatter.used && star.scatter.expectedRms > 0.0) {
            all.push_back({star.scatter.mag, std::log10(star.scatter.expectedRms), 0.0, -1, {}});
        }
    }
    std::sort(all.begin(), all.end(), [](const auto& a, const auto& b) { return a.x < b.x; });
    std::vector<PlotPoint> line;
    for (std::size_t i = 0; i < all.size(); ++i) {
        const std::size_t first = i < together / 2 ? 0 : i - together / 2;
        const std::size_t last = std::min(all.size(), i + together / 2 + 1);
        std::vector<double> near;
        for (std::size_t k = first; k < last; ++k) {
            near.push_back(all[k].y);
        }
        line.push_back({all[i].x, medianInPlace(std::span(near)), 0.0, -1, {}});
    }
    return line;
}

} // namespace

std::vector<PlotSet> curveSets(const night::FieldLights& lights,
                               const night::BandCurves& curves,
                               const CurveView& view) {
    std::vector<PlotSet> sets;
    const bool hasTarget = view.target >= 0;
    if (hasTarget) {
        addTarget(curves.targets[static_cast<std::size_t>(view.target)], view.foldDays, sets);
    }
    const auto check = curves.check ? static_cast<int>(*curves.check) : -1;
    const int star = view.star >= 0 ? view.star : check;
    if (star < 0) {
        return sets;
    }
    PlotSet below{star == check ? Words::tr("check star") : Words::tr("star in hand"),
                  1,
                  star == check ? PlotRole::Quiet : PlotRole::Text,
                  PlotMark::Upright,
                  false,
                  {}};
    const auto points = night::starCurve(lights, curves, static_cast<std::size_t>(star));
    for (const night::StarPoint& point : points) {
        const double days = point.time.secondsSince(points.front().time) / kSecondsInDay;
        below.points.push_back(
            {view.foldDays ? phaseOf(days, *view.foldDays) : plotTime(point.time),
             point.mag,
             point.error,
             -1,
             {}});
    }
    sets.push_back(std::move(below));
    return sets;
}

std::vector<PlotSet> scatterSets(const night::BandCurves& curves) {
    PlotSet expected{Words::tr("expected"), 0, PlotRole::Predicted, PlotMark::None, true, {}};
    PlotSet used{Words::tr("comparison stars"), 0, PlotRole::Agreed, PlotMark::Level, false, {}};
    PlotSet others{Words::tr("not used"), 0, PlotRole::Quiet, PlotMark::Lozenge, false, {}};
    PlotSet vary{Words::tr("vary"), 0, PlotRole::Disagrees, PlotMark::Cross, false, {}};
    for (std::size_t s = 0; s < curves.stars.size(); ++s) {
        const night::FieldStar& star = curves.stars[s];
        if (star.scatter.points < kTellingPoints || !(star.scatter.rms > 0.0) ||
            !std::isfinite(star.scatter.mag)) {
            continue;
        }
        const PlotPoint point{
            star.scatter.mag, std::log10(star.scatter.rms), 0.0, static_cast<int>(s), {}};
        (star.variable ? vary : star.scatter.used ? used : others).points.push_back(point);
    }
    expected.points = expectedLine(curves);
    return {expected, others, used, vary};
}

std::vector<PlotSet> periodSets(const std::vector<measure::TrialPeriod>& trials) {
    PlotSet gain{Words::tr("scatter taken away"), 0, PlotRole::Text, PlotMark::None, true, {}};
    for (std::size_t i = 0; i < trials.size(); ++i) {
        gain.points.push_back(
            {24.0 * trials[i].days, 100.0 * trials[i].gain, 0.0, static_cast<int>(i), {}});
    }
    return {gain};
}

QString starWords(const night::BandCurves& curves, int index) {
    if (index < 0) {
        return {};
    }
    const night::FieldStar& star = curves.stars[static_cast<std::size_t>(index)];
    const QString band = QString::fromStdString(std::string(catalog::name(curves.band)));
    QString words = Words::tr("Star %1").arg(star.star.sourceId);
    if (star.scatter.points > 1) {
        words += Words::tr(": %1 %2, scatter %3 mag, expected %4")
                     .arg(band)
                     .arg(star.scatter.mag, 0, 'f', 3)
                     .arg(star.scatter.rms, 0, 'f', 4)
                     .arg(star.scatter.expectedRms, 0, 'f', 4);
    } else {
        words += Words::tr(": not measured");
    }
    if (std::isfinite(star.star.colour)) {
        words += Words::tr("; BP − RP %1").arg(star.star.colour, 0, 'f', 2);
    }
    words += Words::tr("; catalogue %1").arg(star.catalogueMag, 0, 'f', 2);
    QStringList notes;
    if (curves.check && static_cast<int>(*curves.check) == index) {
        notes << Words::tr("the check star");
    } else if (star.scatter.used) {
        notes << Words::tr("serves as comparison");
    }
    if (star.variable) {
        notes << Words::tr("varies");
    }
    for (const std::string& flag : star.flags) {
        notes << (flag == "blend"       ? Words::tr("a neighbour shines into it")
                  : flag == "saturated" ? Words::tr("saturated")
                  : flag == "edge"      ? Words::tr("at the edge on some frames")
                                        : Words::tr("a defective pixel"));
    }
    return notes.isEmpty() ? words + "." : words + " — " + notes.join(", ") + ".";
}

QString targetWords(const night::TargetCurve& curve) {
    const auto good = curve.clean().size();
    QString words = Words::tr("%1 of %2 points are good").arg(good).arg(curve.points.size());
    if (!curve.period || curve.period->falseAlarmLog10 > night::kSurePeriodLog10) {
        return words + "."; // what is to be said of that is a remark
    }
    const measure::Period& period = *curve.period;
    words += "; " + Words::tr("period %1 ± %2 h, %3 ± %4 mag from end to end, by chance %5")
                        .arg(24.0 * period.days, 0, 'f', 3)
                        .arg(24.0 * period.error, 0, 'f', 3)
                        .arg(period.amplitude, 0, 'f', 3)
                        .arg(period.amplitudeError, 0, 'f', 3)
                        .arg(powerOfTen(period.falseAlarmLog10));
    if (!period.aliasDays.empty()) {
        QStringList aliases;
        for (const double days : period.aliasDays) {
            aliases << QString::number(24.0 * days, 'f', 2);
        }
        words += "; " + Words::tr("as good: %1 h").arg(aliases.join(", "));
    }
    return words + ".";
}

std::vector<int> starsByScatter(const night::BandCurves& curves) {
    std::vector<int> stars;
    for (std::size_t s = 0; s < curves.stars.size(); ++s) {
        if (curves.stars[s].scatter.points > 1 && curves.stars[s].scatter.expectedRms > 0.0) {
            stars.push_back(static_cast<int>(s));
        }
    }
    const auto excess = [&](int s) {
        const auto& scatter = curves.stars[static_cast<std::size_t>(s)].scatter;
        return scatter.rms / scatter.expectedRms;
    };
    std::stable_sort(
        stars.begin(), stars.end(), [&](int a, int b) { return excess(a) > excess(b); });
    return stars;
}

} // namespace pathmark::desk
