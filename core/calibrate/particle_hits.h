#pragma once

#include "core/frame/image.h"

namespace pathmark::calibrate {

struct HitOptions {
    double fwhmPixels =
        0.0; ///< of a star; hits are told from stars by being sharper. Under 1.5 none is sought
    double gain = 1.0;      ///< electrons per unit of the picture
    double readNoise = 5.0; ///< in units of the picture
    double threshold = 6.0; ///< sigma; lower finds fainter hits, and in time noise
};

/// Finds pixels struck by particles and makes them NaN.
///
/// Model    For any star of this or a larger FWHM the mean of two opposite neighbours is at least
///          exp(-d^2 / 2 sigma^2) of the pixel between them (d = 1 or sqrt 2; a Gaussian's narrowest case).
///          A pixel well above the sky that falls short of half of that in any direction, beyond the noise,
///          is no part of a star. Neighbours of a hit that stand out by 3 sigma and are sharper than a star too
///          go with it. The sky is the lower quartile of a 7 x 7 ring.
/// Cost     Only pixels that stand out from their row neighbours are looked at closely.
int maskParticleHits(frame::Image& image, const HitOptions& options);

/// The same in the mosaic of a colour camera, pixels of one place of the cells with each other: beside one that sees little of a star's
/// colour any star looks sharp. `options` are those of the mosaic; stars of less than three of its pixels are too sharp for it.
int maskParticleHitsInMosaic(frame::Image& mosaic, const HitOptions& options);

} // namespace pathmark::calibrate
