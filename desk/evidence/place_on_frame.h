#pragma once

#include "desk/session/night_snapshot.h"

namespace pathmark::desk {

/// The place in a list of what was measured on a single frame; -1: nothing was.
inline int placeOnFrame(const Measurements& measurements, const night::FrameId& frame) {
    int place = -1;
    for (std::size_t i = 0; i < measurements.size(); ++i) {
        if (measurements[i].frame == frame && !measurements[i].onStack) {
            place = static_cast<int>(i);
        }
    }
    return place;
}

} // namespace pathmark::desk
