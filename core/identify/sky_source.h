#pragma once

#include "core/base/angle.h"

namespace pathmark::identify {

/// The chi-square of two dimensions that 99.9 % of true pairs stay below.
inline constexpr double kGate = 13.8;

/// A source of one frame on the sky, as far as matching and linking look at it.
struct SkySource {
    SkyPos sky;
    double sigmaArcsec = 0.0; ///< along each axis, > 0
    double snr = 0.0;
    bool isStar =
        false; ///< known to stand still: it shows where others stand still, and is no body
};

} // namespace pathmark::identify
