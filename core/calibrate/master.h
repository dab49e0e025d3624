#pragma once

#include "core/base/job.h"
#include "core/base/result.h"
#include "core/calibrate/combine.h"
#include "core/calibrate/groups.h"
#include "core/frame/fits_file.h"

#include <string>
#include <vector>

namespace pathmark::calibrate {

/// A combined calibration frame and what it is made of.
struct Master {
    frame::Image image; ///< ADU; a flat's is divided by its median
    frame::FrameKind kind = frame::FrameKind::Unknown;
    double exposureSeconds = 0.0;
    int frameCount = 0;
    std::string how; ///< combination and reason
    std::vector<std::string> warnings;
};

/// Combines biases, darks or flat-darks as they are.
///
/// Errors   those of combineFiles
Result<Master> buildMaster(const FrameGroup& group, const Job& job);

/// Combines flats: `pedestal` (a master flat-dark or bias, or null) is taken off each, each is scaled
/// to one level, then they are combined and divided by the median.
///
/// Errors   those of combineFiles; calibrate.no_frames where every flat is too faint or saturated
Result<Master>
buildFlat(const FrameGroup& group, const Master* pedestal, double saturationAdu, const Job& job);

/// The header of a master's file.
frame::Header masterHeader(const Master& master);

/// Reads a master back that was written with masterHeader.
Result<Master> readMaster(const std::filesystem::path& path);

} // namespace pathmark::calibrate
