#pragma once

#include "core/orbit/elements.h"
#include "core/orbit/motion/constants.h"

#include <array>
#include <optional>
#include <string>
#include <vector>

namespace pathmark::orbit {

using Matrix3 = std::array<double, 9>; ///< row by row

/// The accelerations of a body of the solar system.
///
/// Model    Point masses of Sun, planets, Moon, Pluto and of the large minor planets that the kernels
///          hold; relativity of the Sun; flattening of the Earth within 0.05 au; outgassing.
/// Frame    Barycentric ICRS, au and days.
/// Accuracy Left out: relativity of the planets (1e-13 au/day^2 times 1e-4 of it), the lesser minor planets,
///          radiation pressure other than as A1.
/// Source   Relativity: Moyer 2003, Formulation for Observed and Computed Values, eq. 4-26, one body at
///          rest; flattening: Montenbruck & Gill 2000, Satellite Orbits, sec. 3.2 with the pole of J2000.
class Forces {
  public:
    static constexpr std::size_t kMost = kMajorBodies.size() + kMinorAttractors.size();

    /// All that pulls at one moment.
    struct Moment {
        std::array<Vec3, kMost> places{};
        Vec3 sunVelocity{};
    };

    /// `name` is the body that moves: a minor planet does not pull itself.
    Forces(const Planets& planets, const std::string& name, std::optional<Outgassing> outgassing);

    /// False outside the kernels' time.
    ///
    /// Time     TDB seconds past J2000.
    [[nodiscard]] bool moment(double seconds, Moment& moment) const;

    [[nodiscard]] Vec3
    acceleration(const Moment& moment, const Vec3& place, const Vec3& velocity) const;

    /// How the acceleration changes with place and velocity, and the push of A1, A2, A3 each as one.
    ///
    /// Accuracy Of the point masses and the outgassing; relativity and flattening are left out here
    ///          (1e-8 of the rest), which slows a fit by nothing.
    struct Partials {
        Matrix3 byPlace{};
        Matrix3 byVelocity{};
        Matrix3 byPush{}; ///< columns radial, transverse, normal
    };

    [[nodiscard]] Partials
    partials(const Moment& moment, const Vec3& place, const Vec3& velocity) const;

    /// The body whose surface has been reached, if any.
    [[nodiscard]] std::optional<SpkBody> met(const Moment& moment, const Vec3& place) const;

    [[nodiscard]] const std::optional<Outgassing>& outgassing() const { return outgassing_; }

    void setOutgassing(const Outgassing& value) { outgassing_ = value; }

    [[nodiscard]] const Planets& planets() const { return *planets_; }

  private:
    const Planets* planets_;
    std::vector<Attractor> attractors_; ///< the Sun first
    std::size_t earth_ = 0;             ///< its index; 0 where there is none
    std::optional<Outgassing> outgassing_;
};

} // namespace pathmark::orbit
