#pragma once

#include "core/measure/picture.h"

#include <optional>
#include <span>

namespace pathmark::measure {

/// The direction in which a comet's light reaches furthest.
struct TailDirection {
    double angle = 0.0; ///< radians from +x to +y of the picture
    double error = 0.0; ///< one standard deviation
};

/// Model    Medians in rings and sectors about the nucleus, what the whole ring has taken off; the sectors that stand out about
///          the one that does most, their mean direction weighted by light. Nothing where none stands out by 5 sigma.
/// Shapes   `light`: the sky taken off; `extent`: how far the comet reaches, pixels.
std::optional<TailDirection>
tailDirection(const frame::Image& light, frame::PixelPos nucleus, double extent, double noise);

/// Leaves the pixels without a value in which a star shines above half the noise: one in a tail would turn it.
void leaveOutStars(const Picture& picture, std::span<const StarNearby> stars, frame::Image& light);

} // namespace pathmark::measure
