#pragma once

#include "simulate/noise_hash.h"
#include "simulate/scenario.h"

#include <vector>

namespace pathmark::simulate {

/// A made-up star.
struct SimStar {
    std::int64_t id = 0;
    double raDegrees = 0.0; ///< true, at 2016.0
    double decDegrees = 0.0;
    double pmRaMas = 0.0; ///< a year, times cos dec
    double pmDecMas = 0.0;
    double parallaxMas = 0.0;
    double magG = 0.0;
    double colour = 0.0; ///< BP - RP

    /// In "G", "V" or "R" by the published relations of Gaia DR3.
    [[nodiscard]] double magnitude(const std::string& band) const;

    /// Where it is seen from the Earth at a date.
    [[nodiscard]] Vec3 direction(const Utc& time, const Vec3& earth) const;
};

/// BP - RP of the made-up bodies: sunlit rock.
inline constexpr double kBodyColour = 0.88;

/// A body's magnitude in "G", "V" or "R" by that in V.
double bodyMagnitude(double magnitudeV, const std::string& band);

/// Stars of all fields: counts rising tenfold every 3.3 magnitudes, colours redder when fainter, a few per cent close
/// doubles.
std::vector<SimStar> makeStars(const Scenario& scenario);

} // namespace pathmark::simulate
