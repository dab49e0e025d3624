#include "core/base/robust.h"
#include "core/night/light_curves.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <set>

namespace pathmark::night {
namespace {

constexpr double kSteadyChiSquare = 3.0; ///< of the median comparison star
constexpr std::size_t kPeriodPoints = 10;
constexpr double kLongShare = 0.9; ///< of what was seen, that a period takes

/// How much of a curve was seen, days.
double spanOf(const std::vector<measure::CurvePoint>& points) {
    return points.empty() ? 0.0 : points.back().days - points.front().days;
}

} // namespace

std::vector<std::string> remarksOnStars(const BandCurves& curves) {
    std::vector<std::string> remarks;
    std::vector<double> chi;
    for (const FieldStar& star : curves.stars) {
        if (star.scatter.used) {
            chi.push_back(star.scatter.chiSquare);
        }
    }
    if (chi.empty()) {
        remarks.emplace_back("No star of the field can serve as comparison: none is unsaturated, "
                             "alone and bright enough.");
        return remarks;
    }
    const std::size_t count = chi.size();
    if (medianInPlace(std::span(chi)) > kSteadyChiSquare) {
        remarks.push_back(fmt::format(
            "None of the {} comparison stars is steady within its errors: the curves hold to no "
            "better than they do.",
            count));
    }
    const auto without = std::count_if(curves.frames.begin(),
                                       curves.frames.end(),
                                       [](const auto& f) { return !std::isfinite(f.zeroPoint); });
    if (without > 0) {
        remarks.push_back(fmt::format(
            "On {} of {} frames there is none of the comparison stars: they have no zero "
            "point.",
            without,
            curves.frames.size()));
    }
    return remarks;
}

std::vector<std::string> remarksOn(const TargetCurve& curve) {
    std::vector<std::string> remarks;
    const auto isThere = [](const TargetPoint& point) {
        return std::find(point.flags.begin(), point.flags.end(), "edge") == point.flags.end();
    };
    if (std::none_of(curve.points.begin(), curve.points.end(), isThere)) {
        remarks.push_back(fmt::format("{} is on none of these frames.", curve.name));
        return remarks;
    }
    const auto good = curve.clean();
    if (good.size() < kPeriodPoints) {
        remarks.push_back(
            fmt::format("{} has {} good points: too few for a period, which takes {}.",
                        curve.name,
                        good.size(),
                        kPeriodPoints));
    } else if (!curve.period || curve.period->falseAlarmLog10 > kSurePeriodLog10) {
        remarks.push_back(fmt::format("No period stands out of the points of {}.", curve.name));
    } else if (curve.period->days > kLongShare * spanOf(good)) {
        remarks.push_back(fmt::format("The period of {} is as long as what was seen of it: it is a "
                                      "guess until more is seen.",
                                      curve.name));
    }
    std::set<int> fields;
    for (const TargetPoint& point : curve.points) {
        fields.insert(point.field);
    }
    if (fields.size() > 1) {
        remarks.push_back(fmt::format(
            "{} was followed over {} fields, each with comparison stars of its own; for "
            "the period each has a level of its own.",
            curve.name,
            fields.size()));
    }
    return remarks;
}

std::vector<std::string> remarksOn(const BandCurves& curves) {
    std::vector<std::string> remarks = remarksOnStars(curves);
    for (const TargetCurve& curve : curves.targets) {
        const auto own = remarksOn(curve);
        remarks.insert(remarks.end(), own.begin(), own.end());
    }
    return remarks;
}

} // namespace pathmark::night
