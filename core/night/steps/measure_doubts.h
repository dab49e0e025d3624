#pragma once

#include "core/night/steps/night_run.h"

#include <span>
#include <string>
#include <vector>

namespace pathmark::night {

/// The known bodies but one that pass a place in a frame, each where it is predicted or was seen.
struct OtherBody {
    BodyId body;
    std::string title;
    SkyPos sky;
    double magnitude = 0.0;
    double rateArcsecPerMin = 0.0;
    double positionAngleDegrees = 0.0;
    Utc time; ///< of the place

    [[nodiscard]] SkyPos at(const Utc& when) const;
};

/// Those within `reachArcsec` of a place at a time, by the predictions of that frame. Without a magnitude one cannot tell what
/// it would do, and it is left out.
std::vector<OtherBody> otherBodies(const NightRun& run,
                                   const BodyId& own,
                                   const FrameId& frame,
                                   const SkyPos& place,
                                   double reachArcsec);

/// Why what was measured may be the light of something else: another known body as bright stands there, or the light is far
/// brighter than the orbit's magnitude. Empty: no reason.
std::string doubtOf(const MeasurementRecord& record,
                    const std::optional<double>& predictedMagnitude,
                    std::span<const OtherBody> others,
                    double scaleArcsec);

} // namespace pathmark::night
