#pragma once

#include "core/base/time.h"

#include <cstddef>
#include <span>
#include <vector>

namespace pathmark::stack {

/// Splits frames into up to `count` runs in time, for one stack each.
///
/// Model    Cuts fall first into the longest pauses that exceed three times the usual step, then into
///          the runs between them, so that no stack spans a pause it need not span and all hold about as many frames.
/// Shapes   `times` ascending; each run has at least one frame; indices into `times`.
std::vector<std::vector<std::size_t>> splitInTime(std::span<const Utc> times, int count);

} // namespace pathmark::stack
