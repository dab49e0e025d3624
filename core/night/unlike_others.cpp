#include "core/night/unlike_others.h"

#include "core/base/robust.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <numbers>
#include <span>

namespace pathmark::night {
namespace {

constexpr std::size_t kFewest = 5;
constexpr double kMostSigma = 6.0;  ///< in both axes together: one of 65 million by chance
constexpr double kClearlyOff = 5.0; ///< errors of one place
constexpr double kMostPairs = 20000.0;

using Value = double MeasurementRecord::*;
using Places = std::span<MeasurementRecord* const>; ///< of one body, in the order of time

double medianOf(Places places, Value value) {
    std::vector<double> values;
    for (const MeasurementRecord* m : places) {
        values.push_back(m->*value);
    }
    return medianInPlace(std::span(values));
}

/// Whether the orbit is off by what the places show: only then may it be off by more or less from hour to hour.
bool isOff(Places places) {
    const double off = std::hypot(medianOf(places, &MeasurementRecord::observedMinusComputedRa),
                                  medianOf(places, &MeasurementRecord::observedMinusComputedDec));
    return off > kClearlyOff * medianOf(places, &MeasurementRecord::raErrorArcsec);
}

/// The median of the slopes of an axis of a body's places, arcsec a second.
double slopeOf(Places places, Value axis) {
    const std::size_t n = places.size();
    // All pairs of a few; of hundreds, each with every so many-th.
    const auto step =
        std::max<std::size_t>(1,
                              static_cast<std::size_t>(0.5 * static_cast<double>(n) *
                                                       static_cast<double>(n) / kMostPairs));
    std::vector<double> slopes;
    for (std::size_t i = 0; i < n; ++i) {
        for (std::size_t j = i + 1; j < n; j += step) {
            const double seconds = places[j]->time.secondsSince(places[i]->time);
            if (seconds != 0.0) {
                slopes.push_back((places[j]->*axis - places[i]->*axis) / seconds);
            }
        }
    }
    return slopes.empty() ? 0.0 : medianInPlace(std::span(slopes));
}

/// What is left of an axis of a body's places when their offset, or the line through them, is taken off, arcsec.
std::vector<double> offLine(Places places, Value axis, bool drifts) {
    const double slope = drifts ? slopeOf(places, axis) : 0.0;
    std::vector<double> rest;
    for (const MeasurementRecord* m : places) {
        rest.push_back(m->*axis - slope * m->time.secondsSince(places.front()->time));
    }
    std::vector<double> sorted = rest;
    const double middle = medianInPlace(std::span(sorted));
    for (double& r : rest) {
        r -= middle;
    }
    return rest;
}

void parkUnlike(Places places) {
    const bool drifts = isOff(places);
    const auto east = offLine(places, &MeasurementRecord::observedMinusComputedRa, drifts);
    const auto north = offLine(places, &MeasurementRecord::observedMinusComputedDec, drifts);
    std::vector<double> squares;
    for (std::size_t i = 0; i < places.size(); ++i) {
        squares.push_back(std::pow(east[i] / places[i]->raErrorArcsec, 2) +
                          std::pow(north[i] / places[i]->decErrorArcsec, 2));
    }
    std::vector<double> sorted = squares;
    // The median of chi-square with two degrees of freedom is 2 ln 2.
    const double spread =
        std::max(1.0, medianInPlace(std::span(sorted)) / (2.0 * std::numbers::ln2));
    for (std::size_t i = 0; i < places.size(); ++i) {
        if (squares[i] > kMostSigma * kMostSigma * spread) {
            places[i]->state = MeasurementState::Parked;
            places[i]->reason =
                fmt::format("{:.1f} arcsec, {:.0f} of its errors, from where the others of "
                            "this body have it; something else may be in its light",
                            std::hypot(east[i], north[i]),
                            std::sqrt(squares[i]));
        }
    }
}

} // namespace

void parkUnlikeOthers(std::vector<MeasurementRecord>& measurements) {
    std::map<BodyId, std::vector<MeasurementRecord*>> bodies;
    for (MeasurementRecord& m : measurements) {
        if (m.seen && m.state == MeasurementState::Kept && m.raErrorArcsec > 0.0 &&
            m.decErrorArcsec > 0.0) {
            bodies[m.body].push_back(&m);
        }
    }
    for (auto& [body, places] : bodies) {
        if (places.size() >= kFewest) {
            std::stable_sort(places.begin(), places.end(), [](const auto* a, const auto* b) {
                return a->time < b->time;
            });
            parkUnlike(places);
        }
    }
}

} // namespace pathmark::night
