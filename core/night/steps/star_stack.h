#pragma once

#include "core/night/steps/stack_step.h"

#include <vector>

namespace pathmark::night {

/// Adds part of a series on its stars, and learns how they look there; what is there already is taken.
///
/// Shapes   `chosen`: indices into the run's lights
/// Errors   as of stackStep
Result<StarStack> makeStarStack(NightRun& run, const std::vector<std::size_t>& chosen);

} // namespace pathmark::night
