#pragma once

#include "core/base/angle.h"
#include "core/sweep/light_maps.h"
#include "core/sweep/trail_form.h"

#include <array>
#include <cstdint>
#include <optional>
#include <vector>

namespace pathmark::sweep {

/// Motions that a body may have.
struct MotionBounds {
    double leastRate = 0.0; ///< arcsec per minute
    double mostRate = 10.0;
    std::optional<Angle>
        from; ///< position angles, east of north, turning from `from` to `to`; absent: all
    std::optional<Angle> to;

    /// Whether a motion is within these bounds, or beside them by no more than so much.
    [[nodiscard]] bool
    contains(double rate, Angle angle, double rateBeside = 0.0, double angleBeside = 0.0) const;
};

/// How far something goes on the field, pixels, while LightMaps::times go by 1.
struct Velocity {
    double x = 0.0;
    double y = 0.0;
};

/// How motions over the sky are motions on a field.
class MotionScale {
  public:
    explicit MotionScale(const LightMaps& maps);

    [[nodiscard]] Velocity toField(double rateArcsecPerMin, Angle angle) const;
    [[nodiscard]] double rate(const Velocity& v) const;
    [[nodiscard]] Angle angle(const Velocity& v) const;

    /// Pixels of the field for one arcsec per minute.
    [[nodiscard]] double pixelsOfOne() const { return 1.0 / arcsecPerMin_; }

  private:
    double arcsecPerMin_;           ///< of one pixel in the unit of time
    std::array<double, 4> toSky_{}; ///< unit vectors: east and north from x and y
};

/// Motions that share a filter: a lattice in the plane of velocities, of which some points count.
///
/// Motion (i, j) has the velocity (firstI + i) alongStep + (firstJ + j) acrossStep.
struct MotionZone {
    Velocity alongStep;
    Velocity acrossStep;
    int firstI = 0;
    int firstJ = 0;
    int columns = 0;                  ///< of i
    int rows = 0;                     ///< of j
    std::vector<std::uint8_t> wanted; ///< rows of columns
    std::size_t count = 0;
    Velocity trail; ///< whose trail all of them are given; 0: none

    [[nodiscard]] Velocity at(double i, double j) const {
        return {(firstI + i) * alongStep.x + (firstJ + j) * acrossStep.x,
                (firstI + i) * alongStep.y + (firstJ + j) * acrossStep.y};
    }

    [[nodiscard]] bool isWanted(int i, int j) const {
        return i < columns && j < rows &&
               wanted[static_cast<std::size_t>(j) * static_cast<std::size_t>(columns) +
                      static_cast<std::size_t>(i)] != 0;
    }
};

/// Share of a body's S/N that is lost where it moves between the motions that are tried, at most.
inline constexpr double kMotionLoss = 0.05;

/// The motions within bounds.
///
/// Model    What leaves no trail longer than a star is one zone. Longer trails are parted by length (a quarter, at least one width) and
///          by direction (0.3 widths at its ends); along a trail the steps are as much longer as the filter answers longer. Steps
///          lose half of kMotionLoss along each axis, at most.
std::vector<MotionZone>
motionZones(const MotionBounds& bounds, const LightMaps& maps, const TrailForm& form);

/// The motions within bounds, about and at most: before any lattice is made of them.
double mostMotions(const MotionBounds& bounds, const LightMaps& maps, const TrailForm& form);

/// The rate below which a body stays with the unmoving sky, arcsec per minute.
double leastRate(const LightMaps& maps);

/// The width of a star on the field, pixels: the mean over frames by their information.
double meanWidth(const LightMaps& maps);

} // namespace pathmark::sweep
