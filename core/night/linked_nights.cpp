#include "core/night/linked_nights.h"

#include "core/night/body_frames.h"
#include "core/night/swept_bodies.h"

#include <algorithm>
#include <cmath>
#include <numeric>

namespace pathmark::night {
namespace {

constexpr double kNightSeconds = 6.0 * 3600.0; ///< apart, at least, to be of different nights
constexpr double kMostDays = 15.0;
constexpr double kPaceShare = 0.35;  ///< by which rates may differ
constexpr double kLeastPace = 0.03;  ///< arcsec per minute, likewise
constexpr double kMostFainter = 1.5; ///< magnitudes
constexpr double kWayShare = 0.15;   ///< of the way between, by which an orbit may bend it
constexpr double kPerDay = 120.0;    ///< arcsec for each day squared, likewise
constexpr double kMostReduced = 3.0; ///< chi-square of the common orbit
constexpr std::size_t kLeastPlaces = 4;

/// Whether a candidate's motion leads near another's place.
bool leadsTo(const NightCandidate& from, const NightCandidate& to) {
    const double seconds = to.body.time.secondsSince(from.body.time);
    const double days = seconds / kSecondsPerDay;
    const SkyMotion motion =
        SkyMotion::towards(from.body.rateArcsecPerMin, from.body.positionAngleDegrees);
    const double moved = motion.rate() * seconds / 60.0;
    const SkyPos there =
        offsetBy(from.body.place, motion.east * seconds / 60.0, motion.north * seconds / 60.0);
    // What its rate is uncertain by: half a second of arc over its frames.
    const double unsure = 0.5 * std::abs(seconds) / std::max(60.0, 2.0 * from.halfSeconds);
    return separation(there, to.body.place).arcsec() <
           kWayShare * std::abs(moved) + kPerDay * days * days + unsure + 30.0;
}

bool areAlike(const NightCandidate& a, const NightCandidate& b) {
    const double seconds = std::abs(b.body.time.secondsSince(a.body.time));
    if (seconds < kNightSeconds || seconds > kMostDays * kSecondsPerDay) {
        return false;
    }
    const double faster = motionApart(a.body.rateArcsecPerMin,
                                      a.body.positionAngleDegrees,
                                      b.body.rateArcsecPerMin,
                                      b.body.positionAngleDegrees);
    const bool isAsBright = !a.body.magnitude || !b.body.magnitude ||
                            std::abs(*a.body.magnitude - *b.body.magnitude) < kMostFainter;
    return isAsBright &&
           faster < kLeastPace +
                        kPaceShare * std::max(a.body.rateArcsecPerMin, b.body.rateArcsecPerMin) &&
           (leadsTo(a, b) || leadsTo(b, a));
}

/// Whether one orbit fits the places of all.
bool haveOneOrbit(std::span<const NightCandidate* const> all, const OrbitGround& ground) {
    orbit::OrbitCase common;
    common.body = all.front()->body.name;
    for (const NightCandidate* one : all) {
        common.observations.insert(
            common.observations.end(), one->observations.begin(), one->observations.end());
    }
    for (orbit::Observation& o : common.observations) {
        o.body = common.body;
    }
    if (common.observations.size() < kLeastPlaces) {
        return false;
    }
    const auto judged = orbit::judgeOrbit(common, ground.planets, ground.sites, ground.turn);
    if (!judged || judged->residuals.size() != common.observations.size()) {
        return false;
    }
    double chi = 0.0;
    for (const orbit::Residual& residual : judged->residuals) {
        if (!residual.used) {
            return false;
        }
        chi += residual.chiSquare;
    }
    const auto freedom = static_cast<double>(2 * judged->residuals.size()) - 6.0;
    return chi / std::max(1.0, freedom) < kMostReduced;
}

} // namespace

std::vector<std::size_t> linkNights(std::span<const NightCandidate> candidates,
                                    const OrbitGround& ground,
                                    const std::stop_token& stop) {
    std::vector<std::size_t> order(candidates.size());
    std::iota(order.begin(), order.end(), std::size_t{0});
    std::stable_sort(order.begin(), order.end(), [&](std::size_t a, std::size_t b) {
        return candidates[a].body.time < candidates[b].body.time;
    });
    std::vector<std::size_t> first(candidates.size());
    std::iota(first.begin(), first.end(), std::size_t{0});
    for (std::size_t k = 0; k < order.size() && !stop.stop_requested(); ++k) {
        const NightCandidate& later = candidates[order[k]];
        for (std::size_t j = 0; j < k; ++j) {
            const std::size_t root = first[order[j]];
            // All that is one with the earlier one already, of which the latest must lead here.
            std::vector<const NightCandidate*> all;
            bool isNear = false;
            for (std::size_t m = 0; m < k; ++m) {
                if (first[order[m]] == root) {
                    all.push_back(&candidates[order[m]]);
                    isNear = isNear || areAlike(candidates[order[m]], later);
                }
            }
            all.push_back(&later);
            if (root == order[j] && isNear && haveOneOrbit(all, ground)) {
                first[order[k]] = root;
                break;
            }
        }
    }
    return first;
}

} // namespace pathmark::night
