#pragma once

#include "core/frame/image.h"
#include "simulate/noise_hash.h"

namespace pathmark::simulate {

/// The blur of one exposure: an elliptical Moffat profile.
struct Blur {
    double fwhm = 2.5;         ///< pixels, geometric mean of both axes
    double ellipticity = 0.0;  ///< 1 - short / long axis
    double angleDegrees = 0.0; ///< of the long axis from +x to +y
    double beta = 3.0;
};

/// Adds a point source, its profile integrated over every pixel, near the core by 3 x 3 points of Gauss.
void paintPoint(frame::Image& image, const Blur& blur, double x, double y, double electrons);

/// Adds a point that moves evenly from (x0, y0) to (x1, y1).
void paintTrail(frame::Image& image,
                const Blur& blur,
                double x0,
                double y0,
                double x1,
                double y1,
                double electrons);

/// A comet's form on the detector.
struct CometForm {
    double comaPixels = 10.0; ///< its light ends at about so far from the nucleus
    double tailX = 1.0;       ///< unit vector
    double tailY = 0.0;
};

/// Adds a comet: a tenth of its light in the nucleus, seven in a coma that falls off as 1 / distance, two in a tail; all of it
/// through the blur of the exposure.
void paintComet(frame::Image& image,
                const Blur& blur,
                double x,
                double y,
                double electrons,
                const CometForm& form);

/// Adds a bright line from edge to edge, as a satellite draws it.
void paintSatellite(frame::Image& image, const Blur& blur, const NoiseHash& hash);

/// Adds the tracks of particle hits: `count` on average.
int paintHits(frame::Image& image, double count, const NoiseHash& hash);

} // namespace pathmark::simulate
