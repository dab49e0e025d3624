#pragma once

#include "core/stack/canvas.h"
#include "core/stack/stack.h"

#include <functional>
#include <span>
#include <vector>

namespace pathmark::stack {

/// One stack of several in time, on the canvas that they share.
struct Layer {
    std::vector<std::size_t> members; ///< indices of its frames
    std::vector<StackFrame> frames;   ///< with the shifts that hold for it
    Utc middle;                       ///< weighted
    SkyPos target;                    ///< then: what stands still in it
    PixelGrid grid;                   ///< the sky at that time
};

/// Pixels of a frame.
struct FramePixels {
    int width = 0;
    int height = 0;
};

/// A series to be added: frames in the order of time, as they stand on the sky.
struct Series {
    std::span<const StackFrame> frames;
    std::span<const FramePixels> sizes;
    std::function<Result<SkyPos>(const Utc&)> target;
};

/// The stacks of a series: up to `groups` runs in time, all on one canvas about the target.
///
/// Model    The canvas is laid about the target at the weighted middle of all frames; each stack has it about the target at its
///          own middle, so that the target has the same pixel in all.
/// Errors   stack.no_frames, stack.no_canvas, and those of `target`
Result<std::vector<Layer>> layersOf(const Series& series, int groups, const CanvasChoice& choice);

} // namespace pathmark::stack
