#pragma once

#include <array>

namespace pathmark::sweep {

/// The weights of four values in a row for a place between the second and the third.
///
/// Source   Keys 1981, IEEE Trans. ASSP 29, 1153.
inline std::array<double, 4> cubicWeights(double t) {
    return {((-0.5 * t + 1.0) * t - 0.5) * t,
            (1.5 * t - 2.5) * t * t + 1.0,
            ((-1.5 * t + 2.0) * t + 0.5) * t,
            (0.5 * t - 0.5) * t * t};
}

} // namespace pathmark::sweep
