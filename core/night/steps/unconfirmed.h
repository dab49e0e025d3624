#pragma once

#include "core/night/steps/night_run.h"

#include <vector>

namespace pathmark::night {

/// Parks what two known bodies claim (parkSharedLight), and takes away the candidates that are known bodies, or that their own frames
/// do not show where their motion has them: chance sources on a line, or what is no point. Those that the observer has decided
/// about stay.
///
/// Model    Of the frames that made the track half, and three at least, must show a fitted source above 3 sigma, and these
///          three fifths of the signal-to-noise that the track was found with; one measured on stacks, a stack above 5.
/// Errors   night.*
Result<bool> dropUnconfirmed(NightRun& run, std::vector<MeasurementRecord>& measurements);

} // namespace pathmark::night
