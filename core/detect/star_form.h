#pragma once

#include "core/detect/star_window.h"

namespace pathmark::detect {

/// Size and form of one source.
struct StarForm {
    double fwhm = 0.0;       ///< pixels, geometric mean of both axes, as of a Gaussian
    double elongation = 1.0; ///< longer over shorter axis
};

/// Second moments under a Gaussian window of width `windowFwhm`, the window's share taken out; place relative to the
/// middle pixel.
///
/// Domain   Without light in the window: the window's width, elongation 1.
/// Source   Kaiser, Squires & Broadhurst 1995, ApJ 449, 460, eq. 2 (weighted second moments).
StarForm measureForm(const StarWindow& window, double x, double y, double windowFwhm);

} // namespace pathmark::detect
