#pragma once

#include "core/detect/point_spread.h"
#include "core/frame/wcs.h"

#include <span>
#include <vector>

namespace pathmark::measure {

/// By what the light of a coma in circles about its nucleus is to be multiplied where each pixel's light was shared out as if it lay
/// evenly in the pixel: in circles of few pixels the light that falls off towards the rim is lost by that.
///
/// Shapes   `spread`: of the comet, its trail in it. `nucleus`: where it lies from the middle of a pixel, |x|, |y| <= 0.5.
///          One factor for each radius [px].
/// Model    Below four pixels ComaProfile on pixels a third as large. Beyond, where the coma is rho^-slope whatever the seeing: sharing
///          pixels out draws the light twice through a pixel, a sixth of a square pixel of variance an axis, by which
///          slope (2 - slope) / (12 radius^2) of it flows out over the rim.
std::vector<double> unevenPixelFactors(const detect::PointSpread& spread,
                                       double slope,
                                       frame::PixelPos nucleus,
                                       std::span<const double> radii);

/// The part of a coma's light in circles about its nucleus that seeing and motion leave there; the rest flows out over the rim.
///
/// Shapes   as above
/// Model    Within three widths of a star the sum of ComaProfile over the integral of rho^-slope; beyond, what is missing falls with the
///          square of the radius, as it does for any profile of finite width.
std::vector<double>
sharesAfterSeeing(const detect::PointSpread& spread, double slope, std::span<const double> radii);

} // namespace pathmark::measure
