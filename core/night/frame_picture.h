#pragma once

#include "core/base/result.h"
#include "core/calibrate/colour_planes.h"
#include "core/night/records.h"
#include "core/stack/pixel_grid.h"

#include <optional>
#include <string>

namespace pathmark::night {

/// What a frame shows: its values and, of a colour camera, what they are in red, green and blue.
struct ShownFrame {
    frame::Image values;
    std::optional<calibrate::ColourImage> colours; ///< of the size of `values`
};

/// A light as it was calibrated. `pattern` is its FrameInfo::bayerPattern; empty: without colour.
///
/// Errors   those of the reader
Result<ShownFrame> calibratedPicture(const LightRecord& light, const std::string& pattern);

/// The same light before it was calibrated; cells of a colour camera are summed as the calibrated frame's are.
///
/// Errors   those of the reader
Result<ShownFrame> rawPicture(const LightRecord& light, const std::string& pattern);

/// The colours of values that were made of a mosaic by summing its cells.
///
/// Model    The light above the sky is shared out among red, green and blue as the mosaic's own planes share it, each taken above
///          its own sky and scaled so that the field's light as a whole is white. A share is taken over 3 x 3 cells and fades into
///          white where it drowns in noise, so the sky is grey and single hot cells have no colour.
/// Shapes   values: a pixel for each whole cell of the mosaic.
calibrate::ColourImage
coloursOf(const frame::Image& values, const frame::Image& mosaic, const std::string& pattern);

/// The grid on which a series is shown: that of its first solved frame, turned so that it has no distortion.
stack::PixelGrid viewGrid(const LightRecord& light);

/// What the display shows of an image's values.
struct DisplayRange {
    float low = 0.0F;           ///< black
    float high = 1.0F;          ///< white, or where highlights begin
    bool hasHighlights = false; ///< light above `high` is told apart too
};

/// One sigma below the sky to 22 above it, highlights from there on: the nucleus of a coma is not lost in white.
DisplayRange displayRange(const frame::Image& image);

/// From the smallest to the largest value, and from nothing where all are one: of maps, which have no sky.
DisplayRange wholeRange(const frame::Image& image);

/// An image of half the width and height, rounded up: the mean of each two by two pixels that have a value, NaN where none has. Pixel
/// (i, j) covers (2 i, 2 j) to (2 i + 1, 2 j + 1). What is seen of it has half the noise, not every second grain.
frame::Image halved(const frame::Image& image);

} // namespace pathmark::night
