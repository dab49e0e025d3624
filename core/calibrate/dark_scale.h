#pragma once

#include "core/calibrate/master.h"
#include "core/frame/frame_info.h"

namespace pathmark::calibrate {

/// By how much a dark's current is scaled for a light.
struct DarkScale {
    double scale = 1.0;    ///< to be used
    double measured = 0.0; ///< what the hot pixels say
    double error = 0.0;    ///< of `measured`
    bool fitted = false; ///< true: `scale` is what was measured; false: the ratio of the exposures
    int pixels = 0;      ///< hot pixels that were looked at
};

/// The scale of dark - bias that leaves least of the dark's structure in a light.
///
/// Model    Weighted regression of the light's hot pixels on the dark's, each against the median of its neighbours in
///          the row, stars clipped away. The ratio of the exposures counts where the hot pixels agree with it
///          within 2.5 of their own sigma, or do not determine the scale to 5 %.
/// Shapes   All three of one size; only pixels well above the dark's own noise count.
DarkScale fitDarkScale(const frame::Image& light,
                       double lightSeconds,
                       const Master& bias,
                       const Master& dark,
                       const frame::NoiseModel& noise);

} // namespace pathmark::calibrate
