#pragma once

#include "core/base/angle.h"
#include "core/base/time.h"

#include <cmath>
#include <optional>
#include <string>

namespace pathmark::orbit {

/// Gaussian gravitational constant squared, au^3 / day^2.
constexpr double kSunGm = 0.01720209895 * 0.01720209895;

/// How bright a body is.
struct Brightness {
    std::optional<double> h;  ///< absolute magnitude V of a minor planet
    double g = 0.15;          ///< slope of the H-G system
    std::optional<double> m1; ///< total absolute magnitude of a comet
    double k1 = 10.0;         ///< 2.5 n: total magnitude = M1 + 5 log delta + K1 log r
};

/// Osculating heliocentric elements of one body, ecliptic and equinox J2000.
struct Elements {
    std::string name;   ///< "(12345)", "2031 AB1", "C/2031 A1"; unique in a file
    std::string packed; ///< packed designation as in the file, may be empty
    Tdb epoch;          ///< osculation
    double perihelionAu = 0.0;
    double eccentricity = 0.0;
    Angle inclination;
    Angle node;
    Angle argument; ///< of the perihelion
    Tdb perihelionTime;
    Brightness brightness;

    [[nodiscard]] bool isComet() const { return brightness.m1.has_value(); }
};

/// Heliocentric position and velocity, ICRS axes, au and au/day.
struct StateVector {
    Vec3 position{};
    Vec3 velocity{};
};

} // namespace pathmark::orbit
