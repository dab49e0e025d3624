#pragma once

#include "core/base/job.h"
#include "core/base/result.h"
#include "core/base/time.h"
#include "core/stack/resample.h"

#include <filesystem>
#include <span>

namespace pathmark::stack {

/// One frame of a stack.
struct StackFrame {
    std::filesystem::path path; ///< calibrated, electrons
    frame::Wcs wcs;
    Utc middle;
    double noise = 1.0;     ///< electrons, sigma of a pixel of sky
    double fluxScale = 1.0; ///< brings its stars to the brightness of the reference frame
    PlanePos shift;         ///< what the target has moved since the stack's time; 0 for stars
};

/// Frames added on the stars or on a body.
struct Stack {
    frame::Image image;    ///< electrons of the reference frame, sky taken off; NaN: no frame there
    frame::Image coverage; ///< share of the weight of all frames that a pixel has, 0 to 1
    double noise = 0.0;    ///< sigma of a pixel with full coverage, as if pixels were independent
    int frames = 0;
    double clippedShare = 0.0; ///< of all values
};

/// The weight of a frame: one over the variance of its scaled sky.
double weightOf(const StackFrame& frame);

/// The weighted middle of the exposures: the stack's time.
Utc middleOf(std::span<const StackFrame> frames);

/// Adds frames on a grid by a weighted mean with clipping at 4 sigma about the median.
///
/// Model    Each frame's sky is taken off by a mesh on the grid itself; sigma of the clipping is the larger
///          of the frames' own and that of the values (combine::combineWeighted). `noise` is that of the weighted
///          mean of independent pixels: interpolation makes neighbours share noise, so a fit over
///          several pixels has the errors that this value gives it.
/// Errors   stack.no_frames, base.cancelled, and those of the reader
/// Cost     Reads the rows needed of each frame once per band of the grid; bands hold 256 MB in all.
Result<Stack>
stackFrames(std::span<const StackFrame> frames, const PixelGrid& grid, const Job& job);

/// A square grid of the scale and orientation of `like`, without distortion, centred on a place.
PixelGrid gridAround(const SkyPos& centre, const frame::Wcs& like, int width, int height);

} // namespace pathmark::stack
