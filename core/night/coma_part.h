#pragma once

#include "core/measure/comet.h"
#include "core/night/records.h"

namespace pathmark::night {

/// What a night keeps of a comet's measurement beside its place and light.
inline ComaPart comaPart(const measure::CometMeasured& comet) {
    ComaPart part{comet.slope, comet.extentArcsec, measure::name(comet.centroid), {}};
    for (const measure::CometAperture& circle : comet.apertures) {
        part.apertures.push_back({circle.radiusArcsec, circle.magnitude, circle.magnitudeError});
    }
    return part;
}

} // namespace pathmark::night
