#pragma once

#include "core/base/result.h"
#include "core/catalog/band.h"
#include "core/detect/detect.h"
#include "core/solve/solve_frame.h"
#include "core/solve/uneven_response.h"

namespace pathmark::solve {

/// How the frame's electrons turn into magnitudes.
struct PhotometricMatch {
    catalog::Band band = catalog::Band::G;
    double zeroPoint =
        0.0; ///< magnitude of one electron per second at colour 0.8, in the mean over the frame
    double zeroPointError = 0.0; ///< one standard deviation
    double colourTerm = 0.0;     ///< per magnitude of BP - RP
    double scatter = 0.0;        ///< of single bright stars, magnitudes
    double unexplained =
        0.0; ///< what of it is beyond their errors, magnitudes: it is in a body's light as well
    int usedStars = 0;
    double limitingMag = 0.0;   ///< of a point source at 5 sigma
    double skyBrightness = 0.0; ///< magnitude per square arcsecond
    UnevenResponse uneven;      ///< what the zero point is more at a place

    /// The same for sources about a pixel of a picture that shows the whole frame.
    [[nodiscard]] PhotometricMatch about(frame::PixelPos pixel, const FrameSize& size) const;
};

/// BP - RP that stands for sunlit rock where a body's colour is unknown.
constexpr double kBodyColour = 0.88;

/// Fits zero point and colour term to the matched stars by clipped weighted least squares.
///
/// Model    mag(band) = zeroPoint + uneven - 2.5 log10(electrons per second) + colourTerm (BP - RP - 0.8); a response
///          that changes over the frame only where stars prove it (fitUnevenResponse).
///          Where bright stars with a colour and alone are few, faint ones count too, then those without a colour at
///          the reference colour, last those with neighbours, each with the error that this brings.
/// Errors   solve.too_few_stars  fewer than 3 matched stars that are not saturated, or no exposure time
Result<PhotometricMatch> matchPhotometry(const detect::Detection& detection,
                                         const Solution& solution,
                                         const FrameSize& size,
                                         catalog::Band band,
                                         double exposureSeconds);

/// The magnitude of a source of that many electrons and that colour.
double
toMagnitude(const PhotometricMatch& match, double electrons, double exposureSeconds, double colour);

/// The electrons of a source of that magnitude and colour.
double
toElectrons(const PhotometricMatch& match, double magnitude, double exposureSeconds, double colour);

} // namespace pathmark::solve
