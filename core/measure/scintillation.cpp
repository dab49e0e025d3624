#include "core/measure/scintillation.h"

#include "core/base/expects.h"

#include <algorithm>
#include <cmath>

namespace pathmark::measure {

double scintillation(const Twinkling& taken) {
    PATHMARK_EXPECTS(taken.apertureMetres > 0.0 && taken.exposureSeconds > 0.0);
    constexpr double median = 1.5;
    constexpr double scaleHeight = 8000.0; // metres, of the turbulence
    const double variance = 1e-5 * median * median * std::pow(taken.apertureMetres, -4.0 / 3.0) /
                            taken.exposureSeconds * std::pow(taken.airmass, 3.0) *
                            std::exp(-2.0 * taken.altitudeMetres / scaleHeight);
    return std::sqrt(variance);
}

double airmassAt(double sineOfAltitude) {
    constexpr double longest = 10.0;
    return 1.0 / std::max(1.0 / longest, sineOfAltitude);
}

} // namespace pathmark::measure
