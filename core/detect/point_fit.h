#pragma once

#include "core/base/result.h"
#include "core/detect/colour_mosaic.h"
#include "core/detect/point_spread.h"
#include "core/frame/image.h"

#include <functional>
#include <span>

namespace pathmark::detect {

/// A point source of known place whose light falls into the window of another.
struct Neighbour {
    double x = 0.0;
    double y = 0.0;
    double flux = 0.0;      ///< expected, electrons
    double fluxSigma = 0.0; ///< of the expectation; 0: the flux is free
    const PointSpread* spread =
        nullptr; ///< its own form where it differs (a star does not trail); else the body's
    double placeSigma = 0.0; ///< pixels, of its place along an axis; 0: it is sure
};

struct PointFitOptions {
    double noise = 1.0; ///< sigma of a pixel without the source, electrons; > 0
    double lightVariance =
        1.0; ///< variance of a pixel's light over that light: below 1 in a mean of frames
    const ColourMosaic* mosaic =
        nullptr; ///< where the image is its light(): one flux for each colour, noise of each pixel
    ColourResponse response; ///< of an average star on it
    bool freeSky = true;     ///< fit a constant under the source
    double windowFwhm =
        2.0; ///< half side of the window in FWHM; larger costs time, adds neighbours
    double rejectSigma =
        6.0;               ///< pixels that stand out by more are left out (particle hits); 0: none
    double maxShift = 2.0; ///< pixels from the start beyond which the fit has left the source
    int maxRounds = 25;
};

/// A fitted point source.
struct PointFit {
    double x = 0.0;
    double y = 0.0;
    double flux =
        0.0; ///< electrons, in the whole profile; on a mosaic the mean of its pixels' colours
    double sky = 0.0; ///< constant under it, electrons
    double xError = 0.0;
    double yError = 0.0;
    double xyCovariance = 0.0;
    double fluxError = 0.0;
    double chiSquare = 0.0; ///< per degree of freedom
    int rejectedPixels = 0;
};

/// Fits place and flux of a point source by weighted least squares, with the fluxes of its neighbours.
///
/// Model    pixel = sky + flux P(pixel - place) + sum of neighbours; variance = noise^2 + lightVariance x model flux. A
///          neighbour's expected flux counts as one more measurement, and so does its place, whose shift is taken as small. On a mosaic red and blue have fluxes of their own, held to
///          30 % about those of an average star; neighbours are average stars, their fluxes the mean of the colours.
/// Units    Pixels; electrons. One standard deviation each, from the normal equations; of places below a signal to noise
///          of ten from the likelihood of the places around (`placeMoments`) where that says more.
/// Domain   `image` has the sky taken off roughly; NaN pixels are passed over.
/// Errors   measure.outside     the window leaves the image
///          measure.fit_failed  no convergence, or the place moved further than maxShift
/// Accuracy Scatter within 5 % of the Cramer-Rao bound (tested).
/// Source   Mighell 2005, MNRAS 361, 861 (point-spread fitting by least squares).
Result<PointFit> fitPoint(const frame::Image& image,
                          const PointSpread& spread,
                          double x,
                          double y,
                          std::span<const Neighbour> neighbours,
                          const PointFitOptions& options);

} // namespace pathmark::detect
