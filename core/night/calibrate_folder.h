#pragma once

#include "core/base/job.h"
#include "core/base/result.h"
#include "core/calibrate/dark_scale.h"
#include "core/calibrate/match.h"
#include "core/frame/equipment.h"
#include "core/night/calibration_settings.h"
#include "core/night/records.h"

#include <filesystem>
#include <optional>
#include <string>
#include <vector>

namespace pathmark::night {

struct CalibrateOptions {
    std::filesystem::path folder;
    std::vector<std::filesystem::path> only; ///< files and folders of it; empty: all of it
    std::filesystem::path out;
    CalibrationSettings settings;
    frame::ReadingRules rules;
};

/// One series of lights and what fed it.
struct CalibratedSeries {
    calibrate::FrameGroup lights;
    calibrate::MasterMatch match;
    frame::NoiseModel noise;
    std::optional<calibrate::DarkScale> darkScale;
    std::string withoutFlats;
    std::vector<LightRecord> files; ///< calibrated, not solved
};

struct CalibratedFolder {
    std::vector<calibrate::FrameGroup> groups;
    std::vector<CalibratedSeries> series;
    std::vector<Error> failures;
};

/// Calibrates every series of lights in a folder into OUT/calibrated, the masters into OUT/masters. Run again, it
/// goes on where it stopped.
///
/// Errors   frame.no_frames, night.no_lights, base.*, night.*
Result<CalibratedFolder> calibrateFolder(const CalibrateOptions& options, const Job& job);

} // namespace pathmark::night
