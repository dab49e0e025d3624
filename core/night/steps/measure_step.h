#pragma once

#include "core/night/steps/night_run.h"

namespace pathmark::night {

/// Measures the bodies of the plan on frames and stacks.
///
/// Errors   base.cancelled, night.*; a picture that cannot be read goes to the run's failures
Result<bool> measureStep(NightRun& run);

} // namespace pathmark::night
