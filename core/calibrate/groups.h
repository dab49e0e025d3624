#pragma once

#include "core/base/identity.h"
#include "core/frame/frame_info.h"

#include <span>
#include <string>
#include <vector>

namespace pathmark::calibrate {

/// A series of lights, or a group of calibration frames, by what makes it: kind, camera, size, binning, gain, filter,
/// exposure, temperature, pointing, object and the time of its first frame. Titles of two may be the same, ids are not.
using SeriesId = Identity<struct SeriesTag>;

/// Frames of one kind taken alike: what one master is built from, or one series of lights.
struct FrameGroup {
    frame::FrameInfo example;             ///< of the first frame; stands for all
    std::vector<frame::FrameInfo> frames; ///< in order of time, then path
    double middleJulian = 0.0; ///< UTC; the mean of the frames' middles, 0 if none has a time
    SeriesId id;

    /// True for a master that is there already: it is used as it is.
    [[nodiscard]] bool isReady() const { return example.isMaster; }

    /// A name for people, e.g. "light 60 s R, 2034 EW2, Orrin QM-15, 1536 x 1024".
    [[nodiscard]] std::string title() const;

    /// The median level of the frames' pixels in ADU, where they were looked at.
    [[nodiscard]] std::optional<double> levelAdu() const;
};

/// True where two frames can share a group: kind, camera, size, binning, gain, offset, read-out mode, exposure,
/// temperature (within 2 degrees; not for flats) and, for flats and lights, filter and, for lights, the target (sameTarget);
/// lights and flats of one night, darks and biases of one month. A ready master stands alone.
bool belongTogether(const frame::FrameInfo& a, const frame::FrameInfo& b);

/// True where two lights look at one target: pointings within half the shorter side of the field, or, under two names,
/// within a twentieth of it. Where the header tells no scale, two degrees under one name, half a degree without names.
/// Where one tells no pointing, the names must be the same.
bool sameTarget(const frame::FrameInfo& a, const frame::FrameInfo& b);

/// Sorts frames into groups; frames of unknown kind are left out.
std::vector<FrameGroup> groupFrames(std::span<const frame::FrameInfo> frames);

/// Camera, size, binning, gain, offset, read-out mode and colour agree as far as both say, as any calibration
/// frame and its light must.
bool sameDetector(const frame::FrameInfo& a, const frame::FrameInfo& b);

/// Exposures that count as the same: within 2 %, or within a second where that is less than 5 % (some
/// cameras and bulb timers do not repeat to the decimal).
bool sameExposure(double a, double b);

} // namespace pathmark::calibrate
