#pragma once

#include "core/night/records.h"

#include <optional>
#include <span>
#include <string>

namespace pathmark::night {

/// A comet's colour within a circle: its magnitude in the bluer of two bands less that in the other.
struct CometColour {
    std::string bluer;
    std::string redder;
    double radiusArcsec = 0.0;
    double colour = 0.0;
    double error = 0.0;
    double minutesApart = 0.0; ///< of both frames, or stacks
};

/// By a measurement of a comet and the nearest in time of it in another band, within the circle of both whose radius is nearest to the
/// one asked for. Nothing where there are not both.
///
/// Shapes   `measurements`: of the comet. `frame`: of the measurement that counts
std::optional<CometColour> cometColour(std::span<const MeasurementRecord> measurements,
                                       const FrameId& frame,
                                       double radiusArcsec);

} // namespace pathmark::night
