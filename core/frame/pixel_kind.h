#pragma once

#include "core/frame/frame_info.h"
#include "core/frame/frame_source.h"

namespace pathmark::frame {

/// Looks at every so many rows of a frame.
///
/// Errors   those of the source; frame.no_values where no pixel looked at has a value
/// Cost     Reads at most 32 rows.
Result<PixelSample> samplePixels(FrameSource& source);

/// What a frame is by its pixels alone, where header and names are silent.
///
/// Model    A level above 15 % of `rangeAdu` and few bright pixels: flat. Bright pixels that stand
///          together in groups (stars): light. Otherwise, an exposure of 0: bias, a longer one: dark.
FrameKind kindFromPixels(const PixelSample& sample, const FrameInfo& info, double rangeAdu);

} // namespace pathmark::frame
