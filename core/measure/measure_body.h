#pragma once

#include "core/base/result.h"
#include "core/base/time.h"
#include "core/detect/point_spread.h"
#include "core/frame/image.h"
#include "core/frame/wcs.h"
#include "core/solve/photometric_match.h"

#include <optional>
#include <string>
#include <vector>

namespace pathmark::measure {

/// A picture to measure on: one frame, or a stack.
struct Picture {
    const frame::Image* image = nullptr; ///< electrons, sky taken off
    frame::Wcs wcs;
    detect::Moffat shape; ///< of its stars
    double noise = 1.0;   ///< electrons per pixel
    double solutionErrorPixels = 0.0;
    std::optional<solve::PhotometricMatch> photometry;
    double exposureSeconds = 0.0; ///< of the frame whose electrons these are
    double saturationElectrons = 1e30;
};

/// A catalogue star near the body.
struct StarNearby {
    frame::PixelPos pixel;
    std::optional<double> flux; ///< expected electrons, where the zero point is known
};

/// A body looked for.
struct Target {
    SkyPos predicted;
    double xiRateArcsecPerMin = 0.0;
    double etaRateArcsecPerMin = 0.0;
    double trailSeconds = 0.0; ///< how long the motion smears it in this picture
    double starTrailSeconds =
        0.0;                   ///< how long the same motion, backwards, smears the stars of a stack
    double searchArcsec = 5.0; ///< how far from the prediction it may be
    bool comet = false;
    std::vector<StarNearby> neighbours; ///< catalogue stars in this picture
};

/// One measured position and brightness.
struct Measured {
    SkyPos sky;
    frame::PixelPos pixel;
    double raErrorArcsec = 0.0; ///< on the sky (times cos dec)
    double decErrorArcsec = 0.0;
    double flux = 0.0;
    double fluxError = 0.0;
    double snr = 0.0;
    std::optional<double> magnitude; ///< in the picture's band
    double magnitudeError = 0.0;
    double chiSquare = 0.0;
    double observedMinusComputedRa = 0.0; ///< arcsec on the sky
    double observedMinusComputedDec = 0.0;
    std::string concern; ///< why an eye is needed; empty where none is
};

/// Finds a body near its predicted place and measures it with the stars' own point-spread function,
/// lengthened by its trail, together with the stars around it.
///
/// Model    The best peak of a matched filter within the search radius, the expected light of catalogue stars
///          taken off; then fitPoint with those stars' fluxes held to 5 %. Comets: place from
///          the same fit on their core, brightness in an aperture of 3 FWHM.
/// Errors   measure.not_seen    nothing above 3 sigma there
///          measure.outside     too near the edge
///          measure.fit_failed
Result<Measured> measureBody(const Picture& picture, const Target& target);

} // namespace pathmark::measure
