#pragma once

#include "core/detect/background.h"
#include "core/frame/image.h"

#include <cmath>
#include <vector>

namespace pathmark::detect {

/// A local maximum of the filtered frame.
struct Peak {
    int x = 0;
    int y = 0;
    float snr = 0.0F; ///< signal-to-noise of the best point source there
};

/// The form of light that a filter looks for.
struct FilterForm {
    double fwhm = 3.0;   ///< pixels
    double trailX = 0.0; ///< pixels from end to end
    double trailY = 0.0;

    [[nodiscard]] bool isTrail() const { return std::hypot(trailX, trailY) > 1.0; }
};

/// Signal-to-noise of a point source at every pixel: the frame, sky taken off, correlated with a
/// Gaussian of the given width and divided by the noise of that sum.
///
/// Domain   NaN pixels count as sky.
/// Source   Turin 1960, IRE Trans. Inf. Theory 6, 311 (matched filter).
frame::Image filterForPoints(const frame::Image& image, const Background& sky, double fwhm);

/// The same for a form of light, with its trail.
frame::Image
filterForForm(const frame::Image& image, const Background& sky, const FilterForm& form);

/// Peaks of a filtered frame, as findPoints gives them.
std::vector<Peak> peaksIn(const frame::Image& filtered, float threshold, int border);

/// Peaks of that filter (smeared along a trail where there is one) above `threshold` and above all eight neighbours, the
/// brightest first; the outermost `border` pixels are left out. The filtered frame is never held as a
/// whole unless there is a trail: tiles pass through the processor's own memory.
std::vector<Peak> findPoints(const frame::Image& image,
                             const Background& sky,
                             const FilterForm& form,
                             float threshold,
                             int border);

} // namespace pathmark::detect
