#pragma once

#include "core/calibrate/apply.h"
#include "core/frame/colour_pattern.h"
#include "core/frame/image.h"
#include "core/frame/wcs.h"

#include <limits>
#include <string>

namespace pathmark::calibrate {

/// Where a plane's pixels lie on the raw frame: raw = step * plane + (x, y), pixel centres from 0.
struct PlaneGeometry {
    double step = 2.0;
    double x = 0.5;
    double y = 0.5;
};

/// Model    Red and blue of a pattern of 2 x 2 lie on one pixel of each cell; the mean of its greens, the sum of a cell, and every
///          colour of a pattern of 6 x 6 lie in the middle of the cell.
PlaneGeometry planeGeometry(Colour colour, const std::string& pattern);

/// The pattern of a frame that has one.
///
/// Needs    Letters that frame::ColourPattern knows.
frame::ColourPattern knownPattern(const std::string& letters);

/// How many raw pixels are added up, or averaged, to one pixel of a plane; 1 where they are not.
int pixelsSummed(Colour colour, const std::string& pattern);
int pixelsAveraged(Colour colour, const std::string& pattern);

/// One plane of a mosaic, the mean of a cell's pixels of that colour, or the sum of its cells.
///
/// Model    Where one of the pixels is at or above `ceiling`, the result is as if all were at least there: what is added to a saturated
///          pixel does not make it one to be trusted.
/// Shapes   pattern: as frame::ColourPattern knows it; rows and columns that fill no cell fall away.
frame::Image takePlane(const frame::Image& mosaic,
                       Colour colour,
                       const std::string& pattern,
                       double ceiling = std::numeric_limits<double>::infinity());

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
///          second difference of that colour; then red - green and blue - green linearly. A pattern of 6 x 6: each colour by a plane
///          through those of 5 x 5 pixels that see it, the nearer the heavier.
/// Accuracy Exact for a picture without colour that is linear in x and y (tested). A pixel's own value is kept.
/// Source   Hamilton & Adams 1997, US patent 5629734 (expired).
ColourImage demosaic(const frame::Image& mosaic, const std::string& pattern);

} // namespace pathmark::calibrate
