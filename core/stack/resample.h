#pragma once

#include "core/base/result.h"
#include "core/calibrate/surface.h"
#include "core/frame/frame_source.h"
#include "core/stack/interpolation.h"
#include "core/stack/pixel_grid.h"

#include <functional>
#include <span>

namespace pathmark::stack {

class SkyLevels;

/// A part of a grid.
struct Tile {
    int x = 0;
    int y = 0;
    int width = 0;
    int height = 0;
};

/// How the pixels of a frame become those of a grid.
struct Resampling {
    Kernel kernel = Kernel::Cubic;
    double drop =
        0.0; ///< side of what is left of a pixel before it falls onto the grid, 0 to 1; 0: values are interpolated
};

/// A frame as it lies on the sky.
struct FramePlace {
    frame::Wcs wcs;
    PlanePos
        shift; ///< radians, in the tangent plane of the grid: what the target has moved since the grid's time; 0 for stars
};

/// Where a pixel of one picture lies in another; NaN where nowhere.
using PixelMap = std::function<frame::PixelPos(const frame::PixelPos&)>;

/// From the grid to the frame, and back.
PixelMap fromGrid(const FramePlace& place, const PixelGrid& grid);
PixelMap toGrid(const FramePlace& place, const PixelGrid& grid);

/// A disc of a frame that is not to be used: the body itself where the sky behind it is wanted.
using LeftOutDisc = calibrate::ProtectedDisc;

/// What is done to a frame's pixels before they are moved.
struct Before {
    const SkyLevels* sky = nullptr; ///< its level is taken off
    std::span<const LeftOutDisc> leftOut;
    float scale = 1.0F; ///< what they are multiplied with
};

/// Pixels of a frame, along an axis, by which the place of a star on a stack of a few of them is off through interpolation alone: the
/// most of both kernels and three scales (bench-stack-truth, above a signal to noise of 100).
constexpr double kResamplingError = 0.0025;
/// And by which the fitted light of a body on a stack is off against that of the stars on a stack of theirs, relative.
constexpr double kResamplingLightError = 0.0025;

/// Brings a part of a frame onto other pixels.
///
/// Model    `map`, from the pixels wanted to those of the frame, is exact every 16 pixels and linear between; a value is the light that falls into a pixel
///          wanted, so that the sum over a star is what it was. Pixels without a value are left out of the kernel; where that is more than
///          four tenths of it, or the nearest one, there is no value. Where the pixels wanted are larger than the frame's, the
///          kernel is widened as much. With a drop, each pixel of the frame, shrunk, is shared out by the area that it covers.
/// Errors   those of the reader
/// Accuracy 0.002 pixel in place (tested).
/// Source   Kernels: see kernelAt. Drop: Fruchter & Hook 2002, PASP 114, 144 (linear reconstruction).
Result<frame::Image> resample(frame::FrameSource& reader,
                              const PixelMap& map,
                              const Tile& tile,
                              const Resampling& how,
                              const Before& before = {});

/// The same into a picture that is there already, its pixels used again.
Result<bool> resampleInto(frame::Image& out,
                          frame::FrameSource& reader,
                          const PixelMap& map,
                          const Tile& tile,
                          const Resampling& how,
                          const Before& before);

/// A picture in memory, to be resampled.
class ImageSource final : public frame::FrameSource {
  public:
    explicit ImageSource(const frame::Image& image);
    Result<bool> rows(int firstRow, std::span<float> out) override;

  private:
    const frame::Image& image_;
};

/// How many pixels of a frame a pixel in the middle of the grid covers; 0 where they do not meet.
double pixelArea(const FramePlace& place, const PixelGrid& grid);

/// Whether rows of the frame run along columns of the grid rather than along its rows.
bool isTurnedSideways(const FramePlace& place, const PixelGrid& grid);

} // namespace pathmark::stack
