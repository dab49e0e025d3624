#pragma once

#include "core/calibrate/apply.h"
#include "core/frame/image.h"
#include "core/frame/wcs.h"

#include <string>

namespace pathmark::calibrate {

/// Where a plane's pixels lie on the raw frame: raw = step * plane + (x, y), pixel centres from 0.
struct PlaneGeometry {
    double step = 2.0;
    double x = 0.5;
    double y = 0.5;
};

/// Model    Red and blue lie on one pixel of each cell; the mean of both greens, and the sum of all four, lie in
///          the middle of the cell.
PlaneGeometry planeGeometry(Colour colour, const std::string& pattern);

/// One plane of a mosaic, or the sum of its cells.
///
/// Shapes   pattern: four of R, G, B, row by row; an odd last row or column falls away.
frame::Image takePlane(const frame::Image& mosaic, Colour colour, const std::string& pattern);

/// A solution of the raw frame as one of a plane: the same sky at the same place of it.
frame::Wcs wcsOfPlane(const frame::Wcs& raw, const PlaneGeometry& plane);

/// Three full planes from a mosaic.
struct ColourImage {
    frame::Image red;
    frame::Image green;
    frame::Image blue;
};

/// Interpolates what each pixel does not see along edges rather than across them.
///
/// Model    Green along the direction in which green and the pixel's own colour change least, corrected by the
///          second difference of that colour; then red - green and blue - green linearly.
/// Accuracy Exact for a picture without colour that is linear in x and y (tested). A pixel's own value is kept.
/// Source   Hamilton & Adams 1997, US patent 5629734 (expired).
ColourImage demosaic(const frame::Image& mosaic, const std::string& pattern);

} // namespace pathmark::calibrate
