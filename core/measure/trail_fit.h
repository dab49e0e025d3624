#pragma once

#include "core/measure/picture.h"

#include <cmath>
#include <span>

namespace pathmark::measure {

/// A trail of a length and direction that nobody knew.
struct TrailFit {
    frame::PixelPos middle;
    frame::PixelPos way;      ///< pixels from end to end; which was first its light does not tell
    double lengthError = 0.0; ///< pixels
    double angleError = 0.0;  ///< radians
    double flux = 0.0;        ///< electrons
    double chiSquare = 0.0;   ///< per degree of freedom

    [[nodiscard]] double length() const { return std::hypot(way.x, way.y); }
};

/// Fits a trail that an even motion drew during the exposure: its middle, its two ends, its light and the sky, by weighted least squares.
///
/// Model    pixel = sky + flux x mean of P(pixel - middle - s way), s from -1/2 to 1/2, stars beside it taken off. Begun at the moments of
///          the pixels that hang together above two and a half sigma.
/// Shapes   `start`: a place on the trail, or within `searchPixels` of it; up to 30 FWHM of it are seen wherever that is.
/// Domain   A picture without colours.
/// Errors   measure.not_seen  nothing stands out there; measure.fit_failed  it goes on beyond what is seen, or the fit does not settle
/// Source   Veres et al. 2012, PASP 124, 1197 (point-spread function drawn out along a line).
Result<TrailFit> fitTrail(const Picture& picture,
                          frame::PixelPos start,
                          double searchPixels,
                          std::span<const StarNearby> neighbours);

} // namespace pathmark::measure
