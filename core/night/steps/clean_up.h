#pragma once

#include "core/night/steps/night_run.h"

namespace pathmark::night {

/// Forgets the stacks that are none of this run's and removes their files: a stack of other settings would be taken for one
/// of this run. Of what is made of a single frame the last few are kept, so that going back to a setting costs nothing;
/// masters stay, whatever they were made for.
///
/// Errors   night.*
Result<bool> cleanUp(const NightRun& run);

} // namespace pathmark::night
