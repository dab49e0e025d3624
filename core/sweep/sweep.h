#pragma once

#include "core/base/job.h"
#include "core/base/result.h"
#include "core/sweep/chance.h"
#include "core/sweep/tracks.h"

#include <filesystem>
#include <functional>
#include <string>
#include <vector>

namespace pathmark::sweep {

struct Candidate;

struct SweepOptions {
    MotionBounds bounds;
    double falseAlarms = 0.1; ///< candidates that chance may make in the whole sweep
    std::filesystem::path kept =
        {}; ///< a folder in which what is done is kept, see KeptHits; empty: nothing is
    std::function<void(const Candidate&)> onFound =
        {}; ///< may be empty; likely candidates as they turn up, not judged yet
};

/// What a sweep will cost, before it starts.
struct SweepPlan {
    std::size_t motions = 0;
    double additions = 0.0; ///< about
    double bytes = 0.0;
    double thresholdSnr = 0.0; ///< for Gaussian noise

    [[nodiscard]] double seconds() const; ///< about, on this machine
};

/// `maps` need not have their pixels yet.
///
/// Errors   sweep.no_motion  no motion is within the bounds; sweep.too_wide  more than can be tried are
Result<SweepPlan> planOf(const LightMaps& maps, const SweepOptions& options);

/// A motion over the sky that bends a little.
struct BentMotion {
    double rateArcsecPerMin = 0.0;
    Angle positionAngle;
    double bendArcsec = 0.0; ///< off its straight line `bendSeconds` before and after
    Angle bendAngle;
    double bendSeconds = 1.0;

    /// Where it leads from a place in so many seconds.
    [[nodiscard]] SkyPos from(const SkyPos& place, double seconds) const;
};

/// Something that may be a body.
struct Candidate {
    Track track;
    SkyPos sky;
    Utc time; ///< when it is there
    double rateArcsecPerMin = 0.0;
    Angle positionAngle;
    double snr = 0.0;
    double electrons = 0.0; ///< of the reference frame
    double electronsError = 0.0;
    double log10FalseAlarms = 0.0;
    double bendArcsec = 0.0; ///< off its straight line `bendSeconds` before and after
    Angle bendAngle;
    double bendSeconds = 1.0;
    std::vector<double> frameSnr; ///< of each frame; NaN where it does not see it

    /// Where it is at a time of the series.
    [[nodiscard]] SkyPos at(const Utc& when) const;
};

/// A light that was high enough and is no body, with the reason.
struct Refused {
    Candidate candidate;
    std::string why;
};

struct SweepResult {
    std::size_t motions = 0;
    double additions = 0.0;
    double seconds = 0.0; ///< of the search
    double thresholdSnr = 0.0;
    std::vector<Candidate> candidates; ///< the surest first
    std::vector<Refused> refused;
};

/// Bodies on motions within bounds, by the sum of all frames.
///
/// Model    Sums on whole pixels (ZoneSearch) above kFirstShare of a threshold for Gaussian noise are followed to their exact peaks
///          (Tracks), the highest first; where a body was found its light counts no more for others. How high chance reaches is
///          measured: the same frames in blocks of time that are moved against each other, so that nothing that moves adds up, searched over
///          a part of the motions. A candidate's light must be there frame by frame (chi-square), in both halves of the time, and be a point.
/// Errors   sweep.no_motion, sweep.too_wide; base.cancelled
/// Threads  The answer does not depend on their number.
Result<SweepResult> sweepOver(LightMaps maps, const SweepOptions& options, const Job& job);

} // namespace pathmark::sweep
