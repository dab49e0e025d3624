#pragma once

#include "core/base/job.h"
#include "core/base/result.h"
#include "core/calibrate/groups.h"
#include "core/combine/combine.h"
#include "core/frame/fits_file.h"

#include <optional>
#include <string>
#include <vector>

namespace pathmark::calibrate {

/// A combined calibration frame and what it is made of.
struct Master {
    frame::Image
        image; ///< ADU; a flat's is divided by its median, NaN where it sees next to nothing
    frame::Image variance; ///< of `image`, from the frames' own scatter; empty for a single frame
    frame::FrameInfo
        example; ///< of the first frame: camera, size, exposure, temperature, filter, time
    int frameCount = 0;
    std::string how; ///< combination and reason
    std::string key; ///< digest of everything it was made from; empty until somebody gives it one
    std::vector<std::string> warnings;
    double pixelError =
        0.0; ///< one standard deviation of a typical pixel of `image`, once the variance is forgotten

    /// Gives the memory of the variance back; what a typical pixel has is kept.
    void forgetVariance();

    /// Of a typical pixel; 0: not known.
    [[nodiscard]] double typicalError() const;
};

/// How masters are made.
struct MasterOptions {
    std::optional<combine::Combination> combination; ///< none: by the number of frames
    double saturationAdu = 65535.0;                  ///< flats near it are left out
};

/// Combines biases, darks or flat-darks as they are; a ready master is read.
///
/// Errors   those of combine::combineFiles
Result<Master> buildMaster(const FrameGroup& group, const MasterOptions& options, const Job& job);

/// Combines flats: `pedestal` (a master flat-dark or bias, or null) is taken off each, each is scaled
/// to one level (multiplicatively: a flat is a ratio), then they are combined and divided by the median.
/// The variance is that of the flats and of the pedestal together.
///
/// Errors   those of combine::combineFiles; calibrate.no_frames where every flat is too faint or saturated
Result<Master> buildFlat(const FrameGroup& group,
                         const Master* pedestal,
                         const MasterOptions& options,
                         const Job& job);

/// Bias and a dark scaled to another exposure as one pedestal: bias + scale (dark - bias).
Master scaledPedestal(const Master& bias, const Master& dark, double scale);

/// The header of a master's file: all that is needed to match it another night.
frame::Header masterHeader(const Master& master);

/// Writes a master with its variance, whole or not at all.
Result<bool> writeMaster(const std::filesystem::path& path, const Master& master);

/// Reads a master: one of ours with its variance, or any other as it is (a flat is divided by its median).
Result<Master> readMaster(const std::filesystem::path& path);

} // namespace pathmark::calibrate
