#pragma once

#include "core/calibrate/apply.h"
#include "core/night/steps/frame_pass.h"
#include "core/night/steps/masters_step.h"

#include <map>
#include <memory>
#include <optional>

namespace pathmark::night {

/// The masters of one series in memory, and the calibrator made of them.
struct LoadedCalibration {
    std::map<calibrate::Role, calibrate::Master> masters;
    std::optional<calibrate::DefectMap> lightDefects;
    std::unique_ptr<calibrate::Calibrator> calibrator;
    std::optional<calibrate::Surface> gradient; ///< of the whole series, where wanted so
};

/// Errors   frame.* of the masters' files
Result<LoadedCalibration> loadCalibration(const CalibrationRun& run, const Series& series);

/// Reads and calibrates one light: masters, levelling or gradient where wanted, particle hits masked.
FrameStep calibrateStep();

/// The electrons of every raw pixel of a colour camera's light: what its places are measured on.
///
/// Errors   frame.* of the light's file
Result<frame::Image> mosaicOf(const LoadedCalibration& loaded, const frame::FrameInfo& info);

/// Further images of a calibrated file, after the first.
std::vector<frame::NamedImage> furtherImages(const calibrate::CalibratedFrame& frame);

} // namespace pathmark::night
