#pragma once

#include "core/night/steps/night_run.h"

namespace pathmark::night {

/// Links what moves and is no known body into tracks; their places are added to the predictions.
///
/// Errors   base.cancelled, night.*
Result<bool> linkStep(NightRun& run);

} // namespace pathmark::night
