#pragma once

#include "core/calibrate/groups.h"

#include <optional>
#include <span>
#include <string>
#include <vector>

namespace pathmark::calibrate {

/// Which groups feed a series of lights, as indices into the list of groups.
struct MasterMatch {
    std::optional<std::size_t> dark;       ///< of the light's exposure, bias still in it
    std::optional<std::size_t> bias;       ///< of the light; used alone, or with scaledDark
    std::optional<std::size_t> scaledDark; ///< of another exposure; scaled, bias needed
    std::optional<std::size_t> flat;
    std::optional<std::size_t> flatDark; ///< taken from the flats before they are combined
    std::optional<std::size_t> flatBias; ///< likewise, where there is no flatDark
    std::vector<std::string> reasons;    ///< one sentence for each choice
    std::vector<std::string>
        passedOver;                    ///< one sentence for each group that could be thought to fit
    std::vector<std::string> warnings; ///< what the observer should know, with the remedy
};

/// Chooses the calibration for one series of lights.
///
/// Model    Camera, size, binning and gain must agree. A dark must have the exposure (2 %) and the
///          temperature (2 degrees) of the lights; failing that, bias and a dark scaled in time; failing
///          that, bias alone. A flat must have the filter; flats of under 1 s are used only when there is
///          no other. Among equals the nearest in time wins.
/// Shapes   `light` is one of the groups.
MasterMatch matchMasters(const FrameGroup& light, std::span<const FrameGroup> groups);

} // namespace pathmark::calibrate
