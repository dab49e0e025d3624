#pragma once

#include "core/base/result.h"
#include "core/frame/frame_info.h"
#include "core/frame/wcs.h"
#include "core/identify/night_bodies.h"
#include "core/orbit/place/ephemeris.h"
#include "core/solve/photometric_match.h"

#include <optional>
#include <vector>

namespace pathmark::identify {

/// What one frame can show: everything needed to predict a signal-to-noise.
struct FrameDepth {
    solve::PhotometricMatch photometry;
    double exposureSeconds = 0.0;
    double noisePerPixel = 0.0; ///< electrons
    double fwhm = 0.0;          ///< pixels
    double noisePixels = 0.0;   ///< pixels that count as noise in a matched filter, 1 / sum P^2
    double scaleArcsec = 0.0;
};

/// A known body where one frame shows it.
struct BodyInFrame {
    std::size_t orbit = 0; ///< index into the catalogue
    orbit::Place place;
    frame::PixelPos pixel;
    double delaySeconds = 0.0; ///< of its row against the frame's middle; `place` is of then
    std::optional<double> snr; ///< predicted for this frame; absent without a magnitude or depth
};

/// Signal-to-noise that a body of a V magnitude and rate is predicted to have in one frame.
///
/// Model    Matched filter over the point-spread function lengthened by the trail; body colour BP - RP 0.88.
double predictedSnr(const FrameDepth& depth, double magnitudeV, double rateArcsecPerMin);

/// Frames that can be looked up for bodies.
struct FrameOnSky {
    frame::Wcs wcs;
    int width = 0;
    int height = 0;
    Utc middle;
    std::optional<FrameDepth> depth;
    double rowSeconds = 0.0; ///< a rolling shutter's delay from row to row
};

/// Bodies inside a frame, the brightest first.
///
/// Errors   orbit.outside_ephemeris
Result<std::vector<BodyInFrame>> bodiesInFrame(NightBodies& night,
                                               const orbit::Planets& planets,
                                               const frame::Site& site,
                                               const FrameOnSky& frame,
                                               const orbit::EarthTurn& turn = {});

/// A body counts as within reach from this predicted signal-to-noise on.
constexpr double kReachSnr = 5.0;

} // namespace pathmark::identify
