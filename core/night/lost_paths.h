#pragma once

#include "core/night/sky_tables.h"
#include "core/night/sweep_lights.h"
#include "core/orbit/determine/ranging.h"
#include "core/orbit/elements.h"

#include <array>
#include <memory>
#include <span>
#include <utility>
#include <vector>

namespace pathmark::night {

/// A body that is lost, and what its places follow from.
struct LostBody {
    const orbit::Elements* elements = nullptr;
    const orbit::OrbitCloud* cloud =
        nullptr; ///< instead of elements, where one orbit cannot stand for all
    const SkyTables& tables;
    const frame::Site& site;
};

/// Standard deviations of an orbit's error that are searched, to both sides.
constexpr double kLineSigmas = 3.0;
/// Of a star's width: a direction in which a body moves by less does not matter.
constexpr double kAsideWidths = 0.3;

/// The first and the last middle of some lights, in whatever order they are.
///
/// Domain   A light at least.
std::pair<Utc, Utc> spanOf(std::span<const StackLight> lights);

/// Where one member of a family of orbits is while the lights were taken.
class LostPath {
  public:
    LostPath() = default;
    LostPath(const LostPath&) = delete;
    LostPath& operator=(const LostPath&) = delete;
    virtual ~LostPath() = default;

    /// Domain   From half a minute before the first light's middle to half a minute after the last's.
    [[nodiscard]] virtual Result<SkyPos> at(const Utc& time) const = 0;
};

/// The members of a family of orbits, by coordinates from -1 to 1: a line, and up to two directions aside of it that matter.
class LostPaths {
  public:
    LostPaths() = default;
    LostPaths(const LostPaths&) = delete;
    LostPaths& operator=(const LostPaths&) = delete;
    virtual ~LostPaths() = default;

    [[nodiscard]] virtual std::size_t coordinates() const = 0;
    [[nodiscard]] virtual Result<std::unique_ptr<LostPath>>
    pathOf(const std::array<double, 3>& q) const = 0;

    /// How likely the body is along the line: a logarithm, 0 where it is likeliest.
    [[nodiscard]] virtual double logLikelyAlong(double q) const = 0;
    /// Standard deviations in one unit of each direction aside; 0: it is alike everywhere.
    [[nodiscard]] virtual std::array<double, 2> asideSigmas() const = 0;

    /// `fields`: places in `lights`, of each field in order of time. What is given outlives the paths.
    /// Errors   orbit.*; sweep.no_motion  a cloud over more than a day
    static Result<std::unique_ptr<LostPaths>>
    make(const LostBody& body,
         std::span<const StackLight> lights,
         const std::vector<std::vector<std::size_t>>& fields);
};

} // namespace pathmark::night
