#pragma once

#include "core/frame/wcs.h"

#include <span>

namespace pathmark::frame {

/// A plane coordinate as a polynomial of pixel offsets: coefficients of 1, u, v, u^2, u v, v^2, ... in radians, u and v
/// in units of `unit` pixels from the reference pixel. The constant is not used.
struct PlanePolynomial {
    int order = 1;
    double unit = 1.0;
    std::span<const double> xi;
    std::span<const double> eta;
};

/// Turns the polynomials into CD and SIP about a tangent point.
Wcs wcsOf(const PlanePolynomial& plane, const SkyPos& tangentPoint, PixelPos reference);

/// Adds the way back as a polynomial, for readers of the file: fitted on a grid of the frame, of the least degree that
/// is good to a thousandth of a pixel (9 at most). Nothing to do where there is no distortion.
void addInverse(Wcs& wcs, int width, int height);

} // namespace pathmark::frame
