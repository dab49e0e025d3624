#pragma once

#include "core/base/job.h"
#include "core/base/result.h"
#include "core/stack/layers.h"

#include <cstdint>
#include <span>
#include <vector>

namespace pathmark::night {

/// What stands on the sensor while the sky moves over it: hot pixels, dust, whatever calibration left or never was taken out.
///
/// Model    The median over frames whose unmoving sky is out. What is wider than three widths of a star is a level, and taken off, as
///          strong as each frame has it; a pixel that stands out of it by itself has no value any more. Bodies that stand still on the
///          sensor, because the mount followed them, keep five sixths of their light or more.
class SensorPattern {
  public:
    /// Nothing where frames are fewer than five or of several sizes. `fwhm`: of a star, pixels.
    ///
    /// Errors   those of combine::combineFiles
    static Result<SensorPattern> measure(std::span<const stack::StackFrame> frames,
                                         std::span<const stack::FramePixels> sizes,
                                         double fwhm,
                                         const Job& job);

    /// How strong it is in a frame without its unmoving sky: the strength that leaves least of it.
    [[nodiscard]] float strengthIn(const frame::Image& withoutSky) const;

    /// Takes it off a frame, with or without its sky.
    void takeOff(frame::Image& image, float strength) const;

    /// Whether it is more than noise of so much in one frame would hide from a search.
    [[nodiscard]] bool matters(double noise) const;

  private:
    frame::Image level_;
    std::vector<std::uint8_t> alone_; ///< 1: a pixel that stands out by itself
};

} // namespace pathmark::night
