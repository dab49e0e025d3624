#pragma once

#include "core/orbit/elements.h"

#include <array>
#include <cstddef>
#include <span>
#include <vector>

namespace pathmark::identify {

/// The numbers of many orbits side by side, as a quick look over a whole catalogue needs them. Days are TDB since J2000.
///
/// r = p (cos E - e) + q sin E on ICRS axes, au, with n (t - T) = E - e sin E.
struct OrbitColumns {
    static constexpr std::size_t kCount = 9;
    static constexpr double kOrigin = 2451545.0;
    /// Above this eccentricity the quick solution of Kepler's equation is left alone.
    static constexpr double kMostEccentric = 0.98;

    std::size_t size = 0;
    const double* perihelionDay = nullptr;
    const double* motion = nullptr; ///< radians a day; 0 for orbits that are not solved quickly
    const double* eccentricity = nullptr;
    std::array<const double*, 3> p{};
    std::array<const double*, 3> q{};

    /// The nine columns one after the other in one block of 9 x size numbers.
    static OrbitColumns over(const double* block, std::size_t size);
};

/// Fills a block for OrbitColumns::over.
std::vector<double> makeColumns(std::span<const orbit::Elements> orbits);

/// The observer from the Sun, au and au/day, at a moment.
struct CoarseView {
    double day = 0.0; ///< TDB since J2000
    Vec3 place{};
    Vec3 velocity{};
};

/// What the quick look tells of each orbit.
struct CoarseSky {
    std::vector<float> x, y, z;       ///< direction, ICRS unit vector
    std::vector<float> distance;      ///< from the observer, au
    std::vector<float> radiansPerDay; ///< motion against the observer

    explicit CoarseSky(std::size_t size)
        : x(size), y(size), z(size), distance(size), radiansPerDay(size) {}
};

/// Directions of orbits [from, to) on unperturbed motion, light time to first order.
///
/// Accuracy 1" for e up to kMostEccentric (tested); orbits with motion 0 are left as they are.
/// Source   Starting value and iteration: Danby 1988, Fundamentals of Celestial Mechanics, 2nd ed., sec. 6.6.
void lookCoarsely(const OrbitColumns& columns,
                  std::size_t from,
                  std::size_t to,
                  const CoarseView& view,
                  CoarseSky& sky);

/// Heliocentric places of one quick orbit at many days, au: what a walk along its path needs.
void placesAlong(const OrbitColumns& columns,
                 std::size_t orbit,
                 std::span<const double> days,
                 double* x,
                 double* y,
                 double* z);

} // namespace pathmark::identify
