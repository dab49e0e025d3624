#pragma once

#include "core/base/result.h"
#include "core/frame/fits_file.h"
#include "core/frame/wcs.h"

namespace pathmark::stack {

/// The pixels that a stack is made on.
struct PixelGrid {
    frame::Wcs wcs;
    int width = 0;
    int height = 0;
};

/// Brings rows of a frame onto a grid through both solutions.
///
/// Model    Cubic convolution (4 x 4 pixels); the mapping is exact every 16 pixels and linear between. A
///          grid pixel that would touch a NaN or the edge of the frame is NaN.
/// Frame    `shift` in radians, in the tangent plane of the grid: what the target has moved since the
///          grid's own time; (0, 0) for stars.
/// Errors   those of the reader
/// Accuracy 0.002 pixel in place (tested).
/// Source   Keys 1981, IEEE Trans. ASSP 29, 1153 (cubic convolution, a = -1/2).
Result<frame::Image> resampleRows(frame::FitsReader& reader,
                                  const frame::Wcs& wcs,
                                  const PixelGrid& grid,
                                  PlanePos shift,
                                  int firstRow,
                                  int rowCount);

} // namespace pathmark::stack
