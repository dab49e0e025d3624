#pragma once

#include "core/base/result.h"
#include "core/measure/coma_centroid.h"
#include "core/measure/measure_body.h"

#include <array>
#include <string>
#include <vector>

namespace pathmark::measure {

/// The frame that a comet is measured on.
struct CometFrame {
    const frame::Image* electrons =
        nullptr;     ///< calibrated, the sky in it; of every raw pixel where there is a mosaic
    Picture picture; ///< its solution, stars and zero point; `image` is not used
};

/// The light within a circle about the nucleus.
struct CometAperture {
    double radiusArcsec = 0.0;
    double flux = 0.0; ///< electrons, as Measured::flux
    double fluxError = 0.0;
    std::optional<double> magnitude;
    double magnitudeError = 0.0;
    double seeingShare =
        1.0; ///< the part of the coma's light in the circle that seeing leaves there

    /// Of the light that the coma has in the circle.
    [[nodiscard]] std::optional<double> magnitudeWithoutSeeing() const;
};

struct CometMeasured {
    Measured nucleus;          ///< its place; flux and magnitude of the whole comet
    double slope = 1.0;        ///< of the inner coma: brightness as rho^-slope
    double extentArcsec = 0.0; ///< how far the coma or its tail stands out of the sky
    std::vector<CometAperture> apertures;
    ComaCentroid centroid = ComaCentroid::Cusp; ///< what the place is
};

/// What is wanted of a comet.
struct CometOptions {
    std::vector<double> aperturesArcsec; ///< radii of circles in which its light is wanted
    ComaCentroid centroid = ComaCentroid::Cusp;
};

/// Measures a comet: the sky is bridged by a smooth surface from outside its coma, the nucleus is where the coma's light has its
/// cusp, the brightness is all light within the coma and within circles.
///
/// Model    Sky: polynomials of degree 2 of each colour, with a circle left out that grows until nothing stands out at its rim.
///          Nucleus: ComaProfile of a slope of its own, a level and an excess of one side under it, one brightness for each colour,
///          within 2 FWHM; or the centre asked for, see comaCentroid, from the inner half of the coma. The comet's own trail is the motion of the sky less that of the mount, which the stars show.
///          Stars of the catalogue are taken off with the flux that they have over the coma's mean profile.
/// Errors   measure.not_seen, measure.outside, measure.fit_failed
/// Source   Lamy et al. 2004, in Comets II, 223 (nucleus from the coma's profile).
Result<CometMeasured>
measureComet(const CometFrame& frame, const Target& target, const CometOptions& options);

} // namespace pathmark::measure
