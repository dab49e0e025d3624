#pragma once

#include "core/frame/wcs.h"

namespace pathmark::stack {

/// The pixels that a stack is made on.
struct PixelGrid {
    frame::Wcs wcs;
    int width = 0;
    int height = 0;
};

/// A grid of the scale and orientation of `like`, without distortion, centred on a place.
PixelGrid gridAround(const SkyPos& centre, const frame::Wcs& like, int width, int height);

} // namespace pathmark::stack
