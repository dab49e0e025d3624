#pragma once

#include "core/measure/picture.h"

#include <algorithm>

namespace pathmark::night {

/// A trail whose length and direction its light told.
struct FoundTrail {
    double lengthArcsec = 0.0;
    double lengthErrorArcsec = 0.0;
    Angle positionAngle; ///< or the opposite: which end was first is not told
    Angle angleError;

    /// Of what drew it in an exposure of so long.
    [[nodiscard]] double rateArcsecPerMin(double exposureSeconds) const {
        return lengthArcsec / std::max(1e-6, exposureSeconds / 60.0);
    }
};

/// Fits the trail at a place of a picture, and aims at its middle, drawn out as it is.
///
/// Errors   those of measure::fitTrail
Result<FoundTrail> aimAtTrail(const measure::Picture& picture,
                              frame::PixelPos place,
                              double exposureSeconds,
                              measure::Target& target);

} // namespace pathmark::night
