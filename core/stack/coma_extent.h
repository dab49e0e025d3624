#pragma once

#include "core/base/result.h"
#include "core/frame/frame_source.h"
#include "core/frame/image.h"
#include "core/stack/stack.h"

namespace pathmark::stack {

/// How far the light of a coma reaches in a frame, pixels; 0 where it is no wider than a star.
///
/// Model    Medians of rings about the nucleus, so that stars do not count, walked outwards until two of them stand no longer 3
///          sigma of their own above the outermost quarter; a third is added for what is fainter than that.
/// Domain   At most a third of the frame's shorter side.
/// Errors   those of the reader
Result<double> comaExtent(frame::FrameSource& reader, frame::PixelPos nucleus, double fwhm);

/// Protects what a comet's coma covers of a frame of a stack: it is no sky.
///
/// Shapes   `nucleus`: where the comet is in the frame, pixels.
/// Errors   those of the reader
Result<bool> protectComa(StackFrame& frame, frame::PixelPos nucleus, double fwhmPixels);

} // namespace pathmark::stack
