#pragma once

#include "core/base/result.h"
#include "core/frame/image.h"

namespace pathmark::measure {

/// The share of a pixel, (dx, dy) from the centre of a circle, that lies inside it.
double shareInside(double dx, double dy, double radius);

struct ApertureFlux {
    double flux = 0.0; ///< electrons above the ring's level
    double fluxError = 0.0;
    double ringLevel = 0.0; ///< electrons per pixel
};

/// The light in a circle, less the level of a ring around it.
///
/// Model    Pixels count by the share of 5 x 5 sub-pixels inside the circle; the level is the clipped mean
///          of the ring; variance = noise^2 per pixel + flux + the level's own error.
/// Domain   radius < ringInner < ringOuter; NaN pixels inside take the mean of the circle.
/// Errors   measure.outside  the circle leaves the image
/// Source   Howell 2006, Handbook of CCD Astronomy, 2nd ed., sec. 5.2.
Result<ApertureFlux> apertureFlux(const frame::Image& image,
                                  frame::PixelPos centre,
                                  double radius,
                                  double ringInner,
                                  double ringOuter,
                                  double noise);

} // namespace pathmark::measure
