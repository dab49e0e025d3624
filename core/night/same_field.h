#pragma once

#include "core/base/angle.h"
#include "core/base/time.h"

#include <span>
#include <vector>

namespace pathmark::night {

/// Where and when a frame looks.
struct FieldOfView {
    SkyPos middle;
    Angle
        reach; ///< from the middle of one frame to that of another which has something in common with it
    Utc time;
};

/// Indices of frames of one night that look at the same part of the sky, in the order given.
std::vector<std::vector<std::size_t>> sameFields(std::span<const FieldOfView> frames);

} // namespace pathmark::night
