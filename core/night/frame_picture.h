#pragma once

#include "core/base/result.h"
#include "core/night/records.h"
#include "core/stack/resample.h"

#include <filesystem>
#include <optional>

namespace pathmark::night {

/// A frame brought onto a common grid for showing, so that stars stay put while frames are stepped.
///
/// Model    Nearest pixel through both solutions: fast, and what is shown are the frame's own values.
/// Errors   those of the reader
Result<frame::Image> registeredPicture(const LightRecord& light, const stack::PixelGrid& grid);

/// The same frame before it was calibrated, on the same grid: blinked against registeredPicture nothing moves. Cells of a
/// colour camera are summed as the calibrated frame's are.
///
/// Errors   those of the reader
Result<frame::Image> registeredRawPicture(const LightRecord& light,
                                          const std::optional<stack::PixelGrid>& grid);

/// The grid on which a series is shown: that of its first solved frame, turned so that it has no distortion.
stack::PixelGrid viewGrid(const LightRecord& light);

/// The display's black and white points of an image: one sigma below the sky to 22 above it.
struct DisplayRange {
    float low = 0.0F;
    float high = 1.0F;
};

DisplayRange displayRange(const frame::Image& image);

/// An image of half the width and height, rounded up: the mean of each two by two pixels that have a value, NaN where none has. Pixel
/// (i, j) covers (2 i, 2 j) to (2 i + 1, 2 j + 1). What is seen of it has half the noise, not every second grain.
frame::Image halved(const frame::Image& image);

} // namespace pathmark::night
