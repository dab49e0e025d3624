#pragma once

#include "core/base/job.h"
#include "core/base/result.h"
#include "core/combine/combine.h"
#include "core/detect/moffat.h"
#include "core/stack/stack.h"

#include <span>
#include <vector>

namespace pathmark::stack {

/// Pixels of a grid per minute, along x and along y.
struct GridMotion {
    double x = 0.0;
    double y = 0.0;
};

/// A motion over the sky as one over a grid, and back; both in the tangent plane at the grid's middle.
///
/// `sky`: radians per minute, east and north.
GridMotion toGrid(const PlanePos& sky, const frame::Wcs& grid);
PlanePos toSky(const GridMotion& motion, const frame::Wcs& grid);

/// Whether the stars are seen that were left out of frames.
enum class Starlight { LeftOut, Kept };

/// One frame about a body, on pixels that go along with it.
struct MovingFrame {
    frame::Image light;   ///< electrons of the reference frame above the sky; NaN: no value
    double minutes = 0.0; ///< from the middle of all frames
    double noise = 1.0;   ///< sigma of a pixel of sky, as if pixels were independent
    double weight = 1.0;
    detect::Moffat star; ///< on these pixels
};

/// Frames around a body on one small grid that follows a motion, kept in memory, so that what they show added on any other motion near
/// it is there at once.
class MovingFrames {
  public:
    /// `frames` with the shifts of the motion; `grid` about the body at stack::middleOf(frames); `beta` of the stars' profile.
    ///
    /// Model    Each frame is resampled onto the grid with the cubic kernel; its sky is the median of what is there. Frames that the
    ///          grid does not meet are not taken. Where the median of five frames or more on the stars stands out of a frame's noise above what a
    ///          coma leaves there in passing, and that on the body does not, the frame has no value: stars leave no trails, and a coma is left alone. A motion of less than four star widths is not told from the stars'.
    /// Errors   stack.no_frames, base.cancelled, and those of the readers
    /// Cost     Reads of each frame the rows that the grid covers. Keeps 4 bytes for each pixel of the grid and frame, 8 where stars were
    ///          left out.
    static Result<MovingFrames>
    cut(std::span<const StackFrame> frames, const PixelGrid& grid, double beta, const Job& job);

    /// Frames that are on the grid already.
    MovingFrames(PixelGrid grid, std::vector<MovingFrame> frames);

    [[nodiscard]] const PixelGrid& grid() const { return grid_; }

    [[nodiscard]] const std::vector<MovingFrame>& frames() const { return frames_; }

    /// Between the first and the last of them.
    [[nodiscard]] double spanMinutes() const;

    /// The frames added where a motion is faster than the grid's by so much; NaN where no frame is.
    ///
    /// Model    Values between pixels are linear. Clipped as `rule` says, with the frames' own noise as the least scatter.
    /// Shapes   `chosen`: indices of frames().
    [[nodiscard]] frame::Image stacked(const GridMotion& faster,
                                       std::span<const std::size_t> chosen,
                                       const combine::CombineRule& rule,
                                       Starlight starlight = Starlight::LeftOut) const;

  private:
    PixelGrid grid_;
    std::vector<MovingFrame> frames_;
    std::vector<frame::Image>
        withStars_; ///< of the same frames; empty where no stars were left out
};

} // namespace pathmark::stack
