#pragma once

#include "core/night/steps/night_run.h"

namespace pathmark::night {

/// Predicts the known bodies in every solved light, and matches them with its sources.
///
/// Errors   base.cancelled, night.*; a light out of the planets' reach goes to the run's failures
Result<bool> identifyStep(NightRun& run);

/// Decides which bodies are measured on frames, and which on stacks.
Result<bool> planStep(NightRun& run);

} // namespace pathmark::night
