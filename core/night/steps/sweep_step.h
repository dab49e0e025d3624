#pragma once

#include "core/night/steps/night_run.h"

namespace pathmark::night {

/// Searches series for bodies too faint for one frame, as decided (SweepSeries). What is found becomes a candidate of the night: predicted
/// on every frame of the series, and measured on stacks of its own. A search that was stopped goes on where it was.
///
/// Errors   base.cancelled, night.*; a series that cannot be searched goes to the run's failures
Result<bool> sweepStep(NightRun& run);

} // namespace pathmark::night
