#pragma once

#include "core/base/result.h"
#include "core/frame/wcs.h"

#include <cmath>
#include <span>
#include <vector>

namespace pathmark::solve {

/// Colour at which catalogue places and magnitudes are taken as they are (BP - RP).
constexpr double kReferenceColour = 0.8;

/// A source and the star it was matched with.
struct StarPair {
    frame::PixelPos pixel;
    SkyPos sky;
    double sigmaPixels = 0.1;     ///< of source and star together, along an axis
    double colour = std::nan(""); ///< BP - RP; NaN: unknown
};

/// How well a solution places things, at every pixel.
struct SolutionError {
    int order = 1;
    double unit = 1.0; ///< pixels per unit of the polynomial
    frame::PixelPos middle;
    std::vector<double> covariance; ///< of the terms, row after row, pixel^2
    std::vector<double>
        cubic; ///< of a lens's cubic: what it does at u, v as (1, u, v, u r^2, v r^2), for
               ///< both axes, scaled by its error in pixels; empty where there is none

    /// One standard deviation along an axis in pixels; 0 where nothing is known.
    [[nodiscard]] double at(frame::PixelPos pixel) const;
};

/// A fitted solution and how well it fits.
struct WcsFit {
    frame::Wcs wcs;
    int order = 1;          ///< degree of the polynomial
    int used = 0;           ///< pairs left after clipping
    double rmsArcsec = 0.0; ///< along an axis, of the pairs used
    double chiSquare = 0.0; ///< per degree of freedom
    double placeErrorPixels =
        0.0; ///< of the solution itself, along an axis, typical over the frame
    SolutionError error;
    PlanePos
        colourShift; ///< radians per magnitude of BP - RP that the air moves stars by; 0 where not seen
    std::vector<bool> kept; ///< per pair given
};

/// Fits the sky to pixels as a polynomial and writes it as TAN with SIP, without the polynomial of the way back
/// (`frame::addInverse`): most fits are steps of a search.
///
/// Model    Plane coordinates about a tangent point = polynomial of degree 1 to 5 in the pixel offsets,
///          by weighted least squares with clipping at 4 sigma; the degree is the one that predicts
///          left-out pairs best (5-fold cross-validation). Fewer than 100 pairs are fitted by a linear surface with a cubic in the
///          distance from the middle, which is held to what lenses usually do (1 pixel at the middle of a long side, one
///          standard deviation), unless a polynomial predicts better and fits better by more than chance, and so are more that show
///          no polynomial: what they leave open
///          of it is in the errors. Where 40 or more pairs with colours show it by 4 sigma, a shift
///          with the colour (refraction of the air) is fitted as well. The tangent point is moved until the
///          polynomial has no constant term at the middle of the frame.
/// Shapes   At least 4 pairs; degree 2 needs 12, 3 needs 25, 4 needs 60, 5 needs 120.
/// Errors   solve.too_few_stars
/// Source   Shupe et al. 2005, ASP Conf. 347, 491 (SIP).
Result<WcsFit> fitWcs(std::span<const StarPair> pairs, int width, int height, int maxOrder = 5);

} // namespace pathmark::solve
