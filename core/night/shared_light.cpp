#include "core/night/shared_light.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <utility>

namespace pathmark::night {
namespace {

/// Lights that are fitted one by one cannot lie nearer to each other than this, in widths of a star.
constexpr double kOneLight = 0.5;
/// Stacks of the same frames on two motions have their middles this near to each other, in seconds.
constexpr double kSameTime = 30.0;
/// What a coma may leave of light in a body's core, of the body's own: it is steeper towards its nucleus and draws places there; and of a
/// bright body, whose place is known to a small part of its width, times its signal-to-noise.
constexpr double kComaShare = 0.1;
constexpr double kComaShareTimesSnr = 2.0;

bool isOfOneExposure(const MeasurementRecord& a, const MeasurementRecord& b) {
    return a.onStack == b.onStack &&
           (a.onStack ? std::abs(a.time.secondsSince(b.time)) < kSameTime : a.frame == b.frame);
}

/// The records by exposure: of single frames by frame, of stacks all together.
std::map<FrameId, std::vector<std::size_t>> byFrame(const std::vector<MeasurementRecord>& all) {
    std::map<FrameId, std::vector<std::size_t>> groups;
    for (std::size_t i = 0; i < all.size(); ++i) {
        if (all[i].seen) {
            groups[all[i].frame].push_back(i);
        }
    }
    return groups;
}

void park(MeasurementRecord& record, const std::string& reason) {
    if (record.state == MeasurementState::Kept) {
        record.state = MeasurementState::Parked;
        record.reason = reason;
    }
}

void parkShared(MeasurementRecord& record, const MeasurementRecord& other) {
    park(record,
         fmt::format("the same light was taken for {} too; which of them it is cannot be told",
                     other.body.text()));
}

/// The share of a body's light that a comet's coma leaves in its core.
double comaShare(const MeasurementRecord& body, const MeasurementRecord& comet, double scale) {
    const double apart = separation(body.sky, comet.sky).arcsec();
    const double extent = comet.coma->extentArcsec;
    if (!(apart < extent) || !(body.flux > 0.0)) {
        return 0.0;
    }
    const double core = 0.25 * std::pow(body.fwhmPixels * scale, 2); // its square, over pi
    return comet.flux / body.flux * core / (2.0 * extent * std::max(apart, scale));
}

} // namespace

void parkInComae(std::vector<MeasurementRecord>& measurements,
                 const std::function<double(const MeasurementRecord&)>& scaleOf) {
    for (const auto& [frame, members] : byFrame(measurements)) {
        for (const std::size_t c : members) {
            const MeasurementRecord& comet = measurements[c];
            if (!comet.coma) {
                continue;
            }
            for (const std::size_t i : members) {
                MeasurementRecord& body = measurements[i];
                const double most = std::min(kComaShare, kComaShareTimesSnr / body.snr);
                if (!body.coma && isOfOneExposure(body, comet) &&
                    comaShare(body, comet, scaleOf(body)) > most) {
                    park(body, fmt::format("it lies in the coma of {}", comet.body.text()));
                }
            }
        }
    }
}

std::set<BodyId> parkSharedLight(std::vector<MeasurementRecord>& measurements,
                                 const std::function<double(const MeasurementRecord&)>& scaleOf) {
    std::map<BodyId, int> seen;
    std::map<BodyId, int> shared;
    std::vector<std::pair<std::size_t, std::size_t>> withCandidates;
    for (const auto& [frame, members] : byFrame(measurements)) {
        for (const std::size_t i : members) {
            MeasurementRecord& a = measurements[i];
            ++seen[a.body];
            const double width = kOneLight * a.fwhmPixels * scaleOf(a);
            bool isKnownBodys = false;
            for (const std::size_t j : members) {
                MeasurementRecord& b = measurements[j];
                if (a.body == b.body || b.candidate || !isOfOneExposure(a, b) ||
                    !(separation(a.sky, b.sky).arcsec() < width)) {
                    continue;
                }
                if (a.candidate) {
                    isKnownBodys = true;
                    withCandidates.emplace_back(i, j);
                } else if (i < j) {
                    parkShared(a, b);
                    parkShared(b, a);
                }
            }
            shared[a.body] += isKnownBodys ? 1 : 0;
        }
    }
    std::set<BodyId> known;
    for (const auto& [body, count] : shared) {
        if (2 * count > seen[body]) {
            known.insert(body);
        }
    }
    for (const auto& [candidate, body] : withCandidates) {
        if (!known.contains(measurements[candidate].body)) {
            parkShared(measurements[body], measurements[candidate]);
        }
    }
    return known;
}

} // namespace pathmark::night
