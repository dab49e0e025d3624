#pragma once

#include "core/frame/image.h"
#include "core/frame/wcs.h"
#include "core/stack/matching_kernel.h"
#include "core/stack/stack.h"

#include <vector>

namespace pathmark::stack {

constexpr double kMostOfSaturation = 0.6; ///< of a star whose form can be trusted

/// Bright unsaturated stars of a model of the sky, from all over it: the brightest few of each of its parts.
///
/// Domain   Peaks above `least` and below `most`, `margin` pixels from the edge or more.
std::vector<frame::PixelPos>
brightStars(const frame::Image& model, double least, double most, int margin);

/// Takes a model of the stars off a picture of a frame through a kernel; where that is not to be trusted no value is left: where the
/// model is near the frame's saturation, or so bright that what the kernel misses is more than the noise.
///
/// Shapes   `picture`, its sky taken off, and `model`: both of the frame's size.
void subtractStars(frame::Image& picture,
                   const frame::Image& model,
                   const MatchingKernel& kernel,
                   const StackFrame& frame);

} // namespace pathmark::stack
