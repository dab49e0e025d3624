#pragma once

#include "core/base/result.h"
#include "core/stack/resample.h"

#include <optional>
#include <span>
#include <string_view>

namespace pathmark::stack {

/// How far a canvas reaches.
enum class CanvasExtent {
    Union,  ///< everything that any frame shows
    Common, ///< what all frames show
    Body    ///< a square about the target
};

const char* name(CanvasExtent extent);
std::optional<CanvasExtent> canvasExtentNamed(std::string_view name);

/// A part of the sky, its sides along those of the canvas.
struct Crop {
    SkyPos centre;
    Angle width;
    Angle height;
};

struct CanvasChoice {
    CanvasExtent extent = CanvasExtent::Union;
    std::optional<Crop> crop; ///< counts instead of the extent
    bool northUp = false;     ///< and east to the left; else as the first frame stood
    double scale = 1.0;       ///< side of a pixel, in pixels of the first frame
    int bodySide = 401;       ///< pixels of the first frame
    double shape = 0.0;       ///< width over height that it is cut to about its middle; 0: as it is
};

/// A frame as far as a canvas needs it.
struct FrameOutline {
    FramePlace place;
    int width = 0;
    int height = 0;
};

/// The grid that all layers of a target share.
///
/// Model    A gnomonic plane about the target without distortion. What all frames show is the largest upright rectangle of the
///          form of their common part that lies within it.
/// Frame    `target`: where what stands still in the stack is at the stack's time; shifts are relative to it.
/// Errors   stack.no_frames; stack.no_canvas  frames that do not overlap, a crop beside them, too large a canvas, a scale that is
///          no number above 0
Result<PixelGrid>
canvasFor(std::span<const FrameOutline> frames, const SkyPos& target, const CanvasChoice& choice);

} // namespace pathmark::stack
