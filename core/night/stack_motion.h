#pragma once

#include "core/base/result.h"
#include "core/night/body_frames.h"
#include "core/night/decisions.h"

#include <span>
#include <vector>

namespace pathmark::night {

/// The motion that a prediction has.
SkyMotion motionOf(const PredictionRecord& prediction);

/// The decisions to add the frames of every series that a body is in on a motion; nullopt: on its orbit's again. Where the body is in
/// the middle of a series is left to its orbit.
///
/// Shapes   `lights` and `predictions` as a night has them.
/// Errors   night.unknown_id    no frame of the night has the body
Result<std::vector<AddOnMotion>> addOnMotion(std::span<const LightRecord> lights,
                                             std::span<const PredictionRecord> predictions,
                                             const BodyId& body,
                                             const std::optional<SkyMotion>& motion);

} // namespace pathmark::night
