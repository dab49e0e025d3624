#pragma once

#include "core/night/decisions.h"
#include "core/night/measure_here.h"
#include "core/night/recipe.h"
#include "core/night/records.h"

#include <optional>
#include <span>
#include <string>
#include <vector>

// What the observer measured by hand and keeps under a name: a decision like any other, so that it is undone, outlives a rerun and belongs
// to its night. A run measures the same places again on its own calibrated frames.
namespace pathmark::night {

/// The id of a measurement by hand of a name on a frame.
std::string handId(const BodyId& body, const FrameId& frame);

bool isByHand(const MeasurementRecord& measurement);

/// The decision that keeps what was measured under a name.
///
/// Shapes   `predicted`: of the body on that frame, or null. `rules`: of the night's recipe
KeepByHand keptUnder(const std::string& name,
                     const MeasuredHere& here,
                     const HandAim& aim,
                     const PredictionRecord* predicted,
                     const ReviewRules& rules = {});

/// Measures again, on the light as it is now.
Result<MeasurementRecord> measuredAgain(const KeepByHand& kept,
                                        const LightRecord& light,
                                        const catalog::StarStore* store,
                                        const ReviewRules& rules = {});

/// Takes measurements by hand that are no longer decided out of a list, and adds those that no run has measured again. What a run
/// measured of the same body on the same frame is dropped for them.
void layByHand(const Decided& decided,
               std::span<const LightRecord> lights,
               std::vector<MeasurementRecord>& measurements);

/// Where a name is at a time by the places kept of it: along the line through the two that are nearest in time, or where the only one is.
std::optional<SkyPos> carriedTo(std::span<const MeasurementRecord> kept, const Utc& time);

} // namespace pathmark::night
