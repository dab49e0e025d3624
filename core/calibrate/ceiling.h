#pragma once

#include "core/frame/fits_header.h"
#include "core/frame/frame_info.h"
#include "core/frame/image.h"

#include <optional>

namespace pathmark::calibrate {

/// The value at which a frame's pixels were cut off, by the pixels themselves: of twelve bits, of a full well, of a sum in the
/// camera. Headers seldom say.
///
/// Model    The highest value, where four pixels or more have it, more than all between 97 % of it and itself, and it
///          stands far above the sky's noise.
/// Errors   nullopt: nothing is cut off
std::optional<double> ceilingOf(const frame::Image& raw);

/// From where on a frame's pixels are not to be trusted: as calibration left it in the header, else the lesser of what header and
/// profile say and where the pixels themselves are cut off.
std::optional<double>
saturationOf(const frame::Image& image, const frame::Header& header, const frame::FrameInfo& info);

} // namespace pathmark::calibrate
