#pragma once

#include "core/measure/search_area.h"
#include "core/night/product.h"
#include "core/night/steps/measure_doubts.h"

#include <vector>

namespace pathmark::night {

bool isComet(const NightRun& run, const BodyId& body);

/// What the orbit says of its own error; none for a candidate, whose way its sources gave.
std::optional<measure::PlaceError> placeErrorOf(const PredictionRecord& p);

/// So far around a body others are told from it, arcsec; `own` is its prediction, null where there is none.
double othersReach(const NightRun& run, const PredictionRecord* own, double fwhmArcsec);

/// The middle one of a stack's frames: its predictions stand for the stack.
const FrameId& middleFrame(const NightRun& run, const BodyStack& stack);

/// The other known bodies about a stack's.
std::vector<OtherBody>
othersOf(const NightRun& run, const FramePredictions& predictions, const BodyStack& stack);

/// Where a body is in a stack by the sources that agree with it in its frames; nothing where there are none.
std::optional<SkyPos>
seenOnFrames(const NightRun& run, const FramePredictions& predictions, const BodyStack& stack);

/// What the measurements of a light depend on.
ProductKey measurementKey(const NightRun& run,
                          const FramePredictions& predictions,
                          const LightRecord& light,
                          const std::vector<const PredictionRecord*>& bodies);

/// What the measurement of a stack depends on.
ProductKey
measurementKey(const NightRun& run, const FramePredictions& predictions, const BodyStack& stack);

} // namespace pathmark::night
