#pragma once

#include "core/frame/frame_info.h"

#include <filesystem>
#include <span>
#include <string>
#include <vector>

namespace pathmark::calibrate {

/// A frame that differs from those around it, and a sentence how.
struct OddFrame {
    std::filesystem::path path;
    std::string
        what; ///< exposure, temperature, size, binning, filter, gain, level or header; several with commas
    std::string words; ///< e.g. "30 s among 41 frames of 60 s"
};

/// Finds the odd ones out.
///
/// Model    Frames of one kind and camera (lights also of one object or pointing) follow each other in time as a run,
///          which a gap of 8 hours ends. A setting that fewer than a fifth of a run's frames share, while more than half
///          share another, is odd, and of three frames on one that stands alone (but for a filter); so are a temperature
///          1.5 degrees off the run's median, a level that is 8 robust sigma and 10 % (of fewer than five frames 30 %) off
///          the median of the like frames, and a header that contradicts itself.
std::vector<OddFrame> findOddFrames(std::span<const frame::FrameInfo> frames);

} // namespace pathmark::calibrate
