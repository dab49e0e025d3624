#pragma once

#include "core/frame/equipment.h"
#include "core/night/steps/night_run.h"

namespace pathmark::night {

/// Finds the frames of the run's folder and what each is: as the rules say, and as the observer decided. A file whose
/// content is that of another is said and left out.
///
/// Errors   frame.no_frames; base.cancelled; night.*
Result<bool> gatherStep(CalibrationRun& run, const frame::ReadingRules& rules);

} // namespace pathmark::night
