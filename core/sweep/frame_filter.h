#pragma once

#include "core/frame/image.h"

namespace pathmark::sweep {

/// A frame's pixels with nothing but sky noise and what moves in them.
struct FramePixels {
    frame::Image light;    ///< in the frame's own units; NaN: no value
    frame::Image variance; ///< of `light`
};

/// What a frame says of a point of light at each of its pixels.
struct FilteredFrame {
    frame::Image light;       ///< N = sum P r / v
    frame::Image information; ///< D = sum P^2 / v
    double usual = 0.0;       ///< of D where the frame sees anything; 0: nowhere
    double scatter = 1.0;     ///< of N over what D says of it
};

/// Source   King 1983, PASP 95, 163.
FilteredFrame filterFrame(const FramePixels& pixels, double fwhm, double beta);

} // namespace pathmark::sweep
