#pragma once

#include "core/frame/image.h"
#include "core/frame/wcs.h"
#include "core/stack/matching_kernel.h"
#include "core/stack/stack.h"

#include <vector>

namespace pathmark::stack {

constexpr double kMostOfSaturation = 0.6; ///< of a star whose form can be trusted
constexpr double kSaturated =
    0.95; ///< of a frame's saturation: from there on a pixel tells nothing

/// Bright unsaturated stars of a model of the sky, from all over it: the brightest few of each of its parts.
///
/// Domain   Peaks above `least` and below `most`, `margin` pixels from the edge or more.
std::vector<frame::PixelPos>
brightStars(const frame::Image& model, double least, double most, int margin);

/// By how many pixels a model reaches beyond a picture on every side.
inline int marginOf(const MatchingKernel& kernel) {
    return kernel.half() + 1;
}

/// Takes a model of the stars off a picture of a frame through a kernel; where that is not to be trusted no value is left: as near to
/// what saturates as the kernel reaches, and where what the kernel misses of the brightest light beside a pixel is more than the noise.
///
/// Shapes   `picture`, its sky taken off, of the frame's size; `model` of that and a margin.
void subtractStars(frame::Image& picture,
                   const frame::Image& model,
                   const MatchingKernel& kernel,
                   const StackFrame& frame);

} // namespace pathmark::stack
