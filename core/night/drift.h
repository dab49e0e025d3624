#pragma once

#include "core/night/records.h"

#include <optional>
#include <span>
#include <vector>

namespace pathmark::night {

/// How a light's place on the sky differs from that of the first solved one of its series.
struct Drift {
    double raArcsec = 0.0; ///< of the middle of the frame, times cos(dec)
    double decArcsec = 0.0;
    double turnDegrees = 0.0;     ///< of the camera; a meridian flip counts as no turn
    double scalePerMillion = 0.0; ///< of arcsec per pixel: focus and temperature show in it

    [[nodiscard]] double lengthArcsec() const;
};

/// One for each light; nothing for those that are not solved.
std::vector<std::optional<Drift>> driftOf(std::span<const LightRecord> lights);

} // namespace pathmark::night
