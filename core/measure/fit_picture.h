#pragma once

#include "core/measure/fixed_place.h"

namespace pathmark::measure {

/// What was measured about a place, what a fit takes it for, and what is left.
struct FitPicture {
    frame::Image data;  ///< electrons, the level of the sky about it taken off
    frame::Image model; ///< the body and its neighbours
    frame::Image left;  ///< data less model, in standard deviations of each pixel
};

/// Draws a fit.
///
/// Shapes   Squares of 2 half + 1 pixels about the pixel of the place; NaN off the picture. Neighbours without a flux are not drawn.
FitPicture fitPicture(const Picture& picture,
                      const PointForms& forms,
                      frame::PixelPos place,
                      double flux,
                      std::span<const StarNearby> neighbours,
                      int half);

} // namespace pathmark::measure
