#pragma once

#include "core/night/records.h"
#include "core/stack/stack.h"

#include <span>
#include <vector>

namespace pathmark::night {

/// Calibrated and solved lights of a night as frames of a stack that stands on the stars, in the electrons of the first.
///
/// Model    Scaled by their exposures, and by their zero points where both have one. Of sums of a colour camera's cells the place of an
///          average star is taken for the true one.
std::vector<stack::StackFrame> recordedFrames(std::span<const LightRecord* const> lights);

} // namespace pathmark::night
