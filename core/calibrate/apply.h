#pragma once

#include "core/base/result.h"
#include "core/calibrate/master.h"
#include "core/frame/fits_file.h"
#include "core/frame/frame_info.h"

namespace pathmark::calibrate {

/// The masters of one series, ready to be applied to every frame of it.
struct CalibrationSet {
    const Master* dark = nullptr;       ///< of the lights' exposure
    const Master* bias = nullptr;       ///< where there is no such dark
    const Master* scaledDark = nullptr; ///< of another exposure, needs bias
    const Master* flat = nullptr;
    frame::NoiseModel noise;
};

/// A light in electrons.
struct CalibratedFrame {
    frame::Image image;               ///< electrons; NaN where the pixel is defect
    frame::Header header;             ///< the light's own, with provenance added
    double saturationElectrons = 0.0; ///< pixels at or above this are not to be trusted
    int defects = 0;
};

/// Takes off dark or bias, divides by the flat and turns ADU into electrons; defect pixels (hot enough
/// in the dark that their own noise exceeds that of a sky-limited pixel threefold) become NaN. A
/// Bayer frame is then reduced 2 x 2, each output pixel the sum of its four.
///
/// Shapes   Every master has the size of the light.
CalibratedFrame applyCalibration(const frame::LoadedFrame& light,
                                 const frame::FrameInfo& info,
                                 const CalibrationSet& set);

} // namespace pathmark::calibrate
