#pragma once

#include "core/base/angle.h"
#include "core/base/time.h"

#include <array>
#include <cmath>
#include <memory>
#include <optional>
#include <string>

namespace pathmark::orbit {

/// Gaussian gravitational constant squared, au^3 / day^2.
constexpr double kSunGm = 0.01720209895 * 0.01720209895;

/// How bright a body is.
struct Brightness {
    std::optional<double> h;  ///< absolute magnitude V of a minor planet
    double g = 0.15;          ///< slope of the H-G system; G1 where g2 is given
    std::optional<double> g2; ///< second slope of the H-G1-G2 system
    std::optional<double> m1; ///< total absolute magnitude of a comet
    double k1 = 10.0;         ///< 2.5 n: total magnitude = M1 + 5 log delta + K1 log r
};

/// The push that a comet's gas gives it, au/day^2 at 1 au from the Sun.
///
/// Source   Marsden, Sekanina & Yeomans 1973, AJ 78, 211: g(r) of sublimating water ice.
struct Outgassing {
    double radial = 0.0;     ///< A1, away from the Sun
    double transverse = 0.0; ///< A2, along the motion in the orbit's plane
    double normal = 0.0;     ///< A3

    friend bool operator==(const Outgassing&, const Outgassing&) = default;
};

/// How well an orbit is known: one matrix over its state at the epoch and, where fitted, A1, A2, A3.
struct OrbitCovariance {
    static constexpr std::size_t kMost = 9;
    /// Heliocentric position and velocity, ICRS axes, au and au/day; then A1, A2, A3 in au/day^2. Rows
    /// of nine; what was not fitted is zero.
    std::array<double, kMost * kMost> matrix{};
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
    std::optional<Outgassing> outgassing;
    std::shared_ptr<const OrbitCovariance> covariance; ///< null where the file carries none
    /// Stated runoff along the orbit (the MPC's U parameter), where a line carries one.
    std::optional<double> runoffArcsecPerDecade;

    [[nodiscard]] bool isComet() const { return brightness.m1.has_value(); }
};

/// Position and velocity, ICRS axes, au and au/day; heliocentric unless a function says otherwise.
struct StateVector {
    Vec3 position{};
    Vec3 velocity{};
};

} // namespace pathmark::orbit
