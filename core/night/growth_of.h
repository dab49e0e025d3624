#pragma once

#include "core/catalog/star_store.h"
#include "core/measure/growth_curve.h"
#include "core/night/recipe.h"
#include "core/night/records.h"

namespace pathmark::night {

/// A growth curve on a picture of a night.
struct Growth {
    measure::GrowthCurve curve;
    double scaleArcsec = 0.0; ///< of the picture's pixels
};

/// What the air did to a light is told by.
struct Station {
    frame::Site site;
    double apertureMetres = 0.0; ///< 0: not known
};

/// As a recipe has them.
Station stationOf(const Recipe& recipe);

/// How the light about a measured place grows with the circle, on the picture that it was measured on. Of a comet, too: its light goes on
/// growing where a point's has ended.
///
/// Shapes   `light`: the frame's, or of a stack that of one of its frames. `store`: null, or of a stack: neighbours are not taken off.
/// Domain   `light` is solved
/// Errors   those of the reader; frame.bad_wcs; measure.outside
Result<Growth> growthOf(const MeasurementRecord& measurement,
                        const LightRecord& light,
                        const catalog::StarStore* store,
                        const Station& station = {});

} // namespace pathmark::night
