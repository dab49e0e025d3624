#pragma once

#include "core/frame/frame_info.h"

#include <span>
#include <string>
#include <vector>

namespace pathmark::calibrate {

/// Frames of one kind taken alike: what one master is built from, or one series of lights.
struct FrameGroup {
    frame::FrameInfo example;             ///< of the first frame; stands for all
    std::vector<frame::FrameInfo> frames; ///< in order of time, then path
    double middleJulian = 0.0; ///< UTC; the mean of the frames' middles, 0 if none has a time

    /// A name for people, e.g. "light 60 s R, Orrin QM-15, 1536 x 1024".
    [[nodiscard]] std::string title() const;
};

/// True where two frames can share a group: kind, camera, size, binning, gain setting, exposure
/// (within 2 %), set temperature (within 2 degrees; not for flats) and, for flats and lights, filter
/// and, for lights, object or pointing (within 2 degrees).
bool belongTogether(const frame::FrameInfo& a, const frame::FrameInfo& b);

/// Sorts frames into groups; frames of unknown kind are left out.
std::vector<FrameGroup> groupFrames(std::span<const frame::FrameInfo> frames);

/// Camera, size, binning and gain setting agree, as any calibration frame and its light must.
bool sameDetector(const frame::FrameInfo& a, const frame::FrameInfo& b);

/// Exposures that count as the same.
bool sameExposure(double a, double b);

} // namespace pathmark::calibrate
