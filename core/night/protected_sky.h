#pragma once

#include "core/night/calibration_settings.h"
#include "core/night/decisions.h"

#include <filesystem>
#include <span>
#include <string>
#include <vector>

namespace pathmark::night {

/// Reads marks of what is no sky: CSV with the columns file, x, y, radius (pixels of the raw frame, the first counts 1), in any order.
///
/// Errors   night.bad_marks  it cannot be read, has other columns, or a row holds no disc
Result<std::vector<ProtectedMark>> readProtectedMarks(const std::filesystem::path& path);

/// What of every light is no sky: discs that stand still on the detector, and one that goes with a comet. Where a comet is marked in
/// one frame the disc stays there, in two or more it goes from mark to mark with the time, and on beyond the last.
class ProtectedSky {
  public:
    ProtectedSky() = default;

    /// `frames` are those of the night: marks name some of them.
    ProtectedSky(const CalibrationSettings& settings,
                 const Decided& decided,
                 std::span<const frame::FrameInfo> frames);

    /// Pixels of the raw frame. Marks count for the frames of their own target and camera.
    [[nodiscard]] std::vector<calibrate::ProtectedDisc> on(const frame::FrameInfo& light) const;

    /// The same as one text, for keys.
    [[nodiscard]] std::string textOn(const frame::FrameInfo& light) const;

    /// Files of marks that are no light of the night.
    [[nodiscard]] const std::vector<std::string>& unknown() const { return unknown_; }

  private:
    struct Mark {
        frame::FrameInfo frame;
        calibrate::ProtectedDisc disc;
    };

    std::vector<calibrate::ProtectedDisc> fixed_;
    std::vector<Mark> marks_; ///< in order of time
    std::vector<std::string> unknown_;
};

} // namespace pathmark::night
