#pragma once

#include "core/detect/point_spread.h"
#include "core/frame/wcs.h"

#include <span>
#include <vector>

namespace pathmark::measure {

/// Circles of so many pixels and more hold what the pixels on their rim hold of them by their areas.
constexpr double kFewPixels = 4.0;

/// By what the light of a coma in circles about its nucleus is to be multiplied where each pixel's light was shared out as if it lay
/// evenly in the pixel: in circles of few pixels the light that falls off towards the rim is lost by that.
///
/// Shapes   `spread`: of the comet, its trail in it. `nucleus`: where it lies from the middle of a pixel, |x|, |y| <= 0.5.
///          One factor for each radius [px]; 1 from kFewPixels on.
/// Model    ComaProfile on pixels a third as large.
std::vector<double> unevenPixelFactors(const detect::PointSpread& spread,
                                       double slope,
                                       frame::PixelPos nucleus,
                                       std::span<const double> radii);

} // namespace pathmark::measure
