#pragma once

#include "desk/theme/theme.h"

#include <algorithm>
#include <cstddef>

namespace pathmark::desk {

constexpr double kRibbonRight = 16.0;

/// Lengths that hold text.
inline double ribbonLeft() {
    return scaled(150.0);
}

inline double ribbonTop() {
    return scaled(20.0);
}

/// All lanes together are never higher than six: the Sky keeps its room in a list of many nights.
inline double laneHeight(std::size_t lanes) {
    constexpr double most = 6.0;
    return scaled(24.0) * std::min(1.0, most / std::max(1.0, static_cast<double>(lanes)));
}

} // namespace pathmark::desk
