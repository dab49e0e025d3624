#pragma once

#include "core/base/result.h"
#include "core/base/time.h"
#include "core/detect/colour_mosaic.h"
#include "core/detect/point_spread.h"
#include "core/frame/image.h"
#include "core/frame/wcs.h"
#include "core/measure/search_area.h"
#include "core/solve/photometric_match.h"

#include <optional>
#include <string>
#include <vector>

namespace pathmark::measure {

/// A picture to measure on: one frame, or a stack.
struct Picture {
    const frame::Image* image = nullptr; ///< electrons, sky taken off
    const detect::ColourMosaic* mosaic =
        nullptr; ///< where the image is its light(): electrons of raw pixels, four to one of a sum
    detect::ColourResponse response; ///< of an average star on it
    frame::Wcs wcs;
    detect::Moffat shape; ///< of its stars, without their trail
    double starTrailX =
        0.0; ///< pixels from end to end that its stars are drawn out by: the mount moved
    double starTrailY = 0.0;
    double noise = 1.0; ///< electrons per pixel
    double readNoise =
        0.0; ///< the part of it that is the camera's reading, electrons; 0: not known
    double flatError = 0.0;     ///< of a pixel's light by the flat, relative; 0: none, or not known
    double scintillation = 0.0; ///< of all light, relative; 0: not known
    double lightVariance = 1.0; ///< variance of a pixel's light over that light: below 1 in a stack
    double solutionErrorPixels = 0.0;
    std::optional<solve::PhotometricMatch> photometry;
    double exposureSeconds = 0.0; ///< of the frame whose electrons these are
    double saturationElectrons = 1e30;
    double windowFwhm =
        2.0; ///< half side of the window of a fit: larger where the sky is free of stars
};

/// A catalogue star or another known body near the body.
struct StarNearby {
    frame::PixelPos pixel;
    std::optional<double> flux; ///< expected electrons, where the zero point is known
    double error =
        0.0; ///< relative, of that flux alone; the larger of it and that of all stars counts
};

/// What the expected light of a star is sure to, relative.
constexpr double kStarError = 0.05;
/// And its place along an axis where the solution adds nothing, pixels: a catalogue's motions over years, the form of the stars.
constexpr double kStarPlaceError = 0.02;

/// The error along an axis of where a star of the catalogue is expected, pixels.
double starPlaceError(const Picture& picture);

constexpr double kFarthestWingFwhm = 14.0;

/// How far a star of so much light counts beside a body, pixels from its middle (or its trail): to where its wing is nothing beside the
/// noise of a pixel, 3.5 FWHM at least and kFarthestWingFwhm at most.
double wingReach(const Picture& picture, double flux);

/// Whether that error of a star of so much light is more than its own photons leave open.
bool isPlaceSeen(const Picture& picture, double flux);

/// A body looked for.
struct Target {
    SkyPos predicted;
    double xiRateArcsecPerMin = 0.0;
    double etaRateArcsecPerMin = 0.0;
    double trailSeconds = 0.0; ///< how long the motion smears it in this picture
    double starTrailSeconds =
        0.0;                   ///< how long the same motion, backwards, smears the stars of a stack
    double searchArcsec = 5.0; ///< so far from the prediction it is always looked for
    std::optional<PlaceError> placeError =
        {}; ///< of the prediction: it is looked for as far as that goes, too
    std::optional<SkyPos> seenAt =
        {}; ///< a source that agrees: looked for there, wherever it was foretold
    bool isPlace =
        false; ///< a place that somebody pointed at, no body: a catalogue star there is the target itself
    std::vector<StarNearby> neighbours; ///< catalogue stars in this picture

    [[nodiscard]] const SkyPos& lookedFor() const { return seenAt ? *seenAt : predicted; }

    [[nodiscard]] SearchArea area() const { return SearchArea(searchArcsec, placeError); }
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

/// Where the target is looked for on an image: where it is predicted, or where a source agrees.
///
/// Errors   measure.outside
Result<frame::PixelPos>
predictedOn(const frame::Image& image, const Picture& picture, const Target& target);

/// The failure of a search that found nothing.
tl::unexpected<Error> notSeen(const Target& target);

/// The way of the body in so many seconds, in pixels, from where it is predicted.
frame::PixelPos
motionInPixels(const Picture& picture, const Target& target, frame::PixelPos at, double seconds);

/// The ways that the body may have gone over the detector during the exposure: its own motion on the sky, and that of the mount, of
/// which the stars' trail shows the line but not which end was first.
std::vector<frame::PixelPos>
waysOf(const Picture& picture, const Target& target, frame::PixelPos at);

/// How far from a place that was pointed at, or foretold well, a light is looked for.
double searchArcsecOn(const Picture& picture);

/// What is seen at this signal-to-noise is seen.
constexpr double kLeastSnr = 3.0;

/// The signal-to-noise from which a target counts as seen: the more sky is searched, the more.
double leastSeen(const Target& target);

/// What of a source's flux a pixel sees against the mean over a cell of a mosaic; 1 without colours.
double responseAt(const Picture& picture, int x, int y);

/// Sigma of the sky in a pixel.
double noiseAt(const Picture& picture, int x, int y);

/// A fitted place in pixels, one standard deviation each.
struct FittedPlace {
    frame::PixelPos pixel;
    double xError = 0.0;
    double yError = 0.0;
    double xyCovariance = 0.0;
};

/// Place, its errors along right ascension and declination with the solution's own, and observed minus computed.
void setPlace(const Picture& picture,
              const Target& target,
              const FittedPlace& place,
              Measured& measured);

/// Magnitude and its error from the flux, where there is a zero point.
void setBrightness(const Picture& picture, Measured& measured);

} // namespace pathmark::measure
