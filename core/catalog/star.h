#pragma once

#include "core/base/angle.h"

#include <cmath>
#include <cstdint>

namespace pathmark::catalog {

/// One row of a store, as on disk. NaN: the catalogue does not say.
struct StarRow {
    std::int64_t sourceId = 0;
    double raDegrees = 0.0; ///< ICRS at refEpoch
    double decDegrees = 0.0;
    float raErrorMas = 0.0F;
    float decErrorMas = 0.0F;
    float parallaxMas = 0.0F;
    float pmRaMasPerYear = 0.0F; ///< times cos(dec)
    float pmDecMasPerYear = 0.0F;
    float magG = 0.0F;
    float magBp = 0.0F;
    float magRp = 0.0F;
    float refEpoch = 2016.0F; ///< Julian year
    float ruwe = 0.0F;
};

static_assert(sizeof(StarRow) == 64);

/// A star at some date.
struct Star {
    SkyPos place;             ///< ICRS, as seen from the Earth at the date
    double errorArcsec = 0.0; ///< one standard deviation along an axis, at the date
    double magG = 0.0;
    double colour = 0.0; ///< BP - RP, NaN where unknown
    std::int64_t sourceId = 0;
};

} // namespace pathmark::catalog
