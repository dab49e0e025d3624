#pragma once

#include "core/frame/image.h"
#include "simulate/noise_hash.h"
#include "simulate/scenario.h"

namespace pathmark::simulate {

/// The fixed pattern of one camera and its telescope.
struct Detector {
    frame::Image biasAdu;       ///< level, columns and a ramp
    frame::Image darkPerSecond; ///< electrons, hot pixels included
    frame::Image response;      ///< vignetting, dust and each pixel's own; about 1 in the middle
};

Detector makeDetector(const CameraScenario& camera, std::uint64_t seed);

/// Reads electrons out: photon noise, dark current and its noise, read noise, bias, gain, saturation, whole ADU.
///
/// Shapes   `light` in electrons after the response, of the camera's size.
frame::Image expose(const frame::Image& light,
                    const Detector& detector,
                    const CameraScenario& camera,
                    double seconds,
                    const NoiseHash& hash);

/// The colour of a pixel under a Bayer pattern: 0 red, 1 green, 2 blue; 1 everywhere for mono cameras.
int bayerColour(const CameraScenario& camera, int x, int y);

} // namespace pathmark::simulate
