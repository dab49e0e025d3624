#pragma once

#include "core/detect/background.h"
#include "core/frame/image.h"

#include <vector>

namespace pathmark::detect {

/// A local maximum of the filtered frame.
struct Peak {
    int x = 0;
    int y = 0;
    float snr = 0.0F; ///< signal-to-noise of the best point source there
};

/// Signal-to-noise of a point source at every pixel: the frame, sky taken off, correlated with a
/// Gaussian of the given width and divided by the noise of that sum.
///
/// Domain   NaN pixels count as sky.
/// Source   Turin 1960, IRE Trans. Inf. Theory 6, 311 (matched filter).
frame::Image filterForPoints(const frame::Image& skySubtracted, const Background& sky, double fwhm);

/// Pixels that exceed `threshold` and all eight neighbours, the brightest first; the outermost
/// `border` pixels are left out.
std::vector<Peak> findPeaks(const frame::Image& filtered, float threshold, int border);

} // namespace pathmark::detect
