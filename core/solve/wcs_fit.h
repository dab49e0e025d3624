#pragma once

#include "core/base/result.h"
#include "core/frame/wcs.h"

#include <span>
#include <vector>

namespace pathmark::solve {

/// A source and the star it was matched with.
struct StarPair {
    frame::PixelPos pixel;
    SkyPos sky;
    double sigmaPixels = 0.1; ///< of source and star together, along an axis
};

/// A fitted solution and how well it fits.
struct WcsFit {
    frame::Wcs wcs;
    int order = 1;          ///< degree of the polynomial
    int used = 0;           ///< pairs left after clipping
    double rmsArcsec = 0.0; ///< along an axis, of the pairs used
    double chiSquare = 0.0; ///< per degree of freedom
    double placeErrorPixels =
        0.0;                ///< of the solution itself, along an axis, typical over the frame
    std::vector<bool> kept; ///< per pair given
};

/// Fits the sky to pixels as a polynomial and writes it as TAN with SIP.
///
/// Model    Plane coordinates about a tangent point = polynomial of degree 1 to 4 in the pixel offsets,
///          by weighted least squares with clipping at 4 sigma; the degree is the one that predicts
///          left-out pairs best (5-fold cross-validation). The tangent point is moved until the
///          polynomial has no constant term at the middle of the frame.
/// Shapes   At least 4 pairs; degree 2 needs 12, degree 3 needs 25, degree 4 needs 60.
/// Errors   solve.too_few_stars
/// Source   Shupe et al. 2005, ASP Conf. 347, 491 (SIP).
Result<WcsFit> fitWcs(std::span<const StarPair> pairs, int width, int height, int maxOrder = 4);

} // namespace pathmark::solve
