#pragma once

#include "core/base/result.h"
#include "core/orbit/elements.h"
#include "core/orbit/motion/forces.h"

#include <memory>
#include <vector>

namespace pathmark::orbit {

/// How the state at a time changes with the state at the epoch (and with A1, A2, A3).
struct Variation {
    /// Rows x, y, z, vx, vy, vz; columns the same at the epoch, then A1, A2, A3; au and days.
    std::array<std::array<double, 9>, 6> matrix{};
};

struct TrajectoryOptions {
    bool variations = false; ///< seven to ten times the work
    bool pushes = false;     ///< with variations: the columns of A1, A2, A3 too
};

/// The motion of one body over a stretch of time, with all that pulls.
///
/// Model    Forces, integrated by GaussRadau from the epoch to both ends; what lies between is the polynomial
///          of each step, as accurate as its ends.
/// Frame    Barycentric ICRS, au and au/day.
/// Accuracy 1e-12 au in a year off close approaches; tested against another method of another library.
/// Threads  Reading is safe from many threads.
class Trajectory {
  public:
    /// From a heliocentric state at an epoch.
    ///
    /// Errors   orbit.outside_ephemeris  the kernels do not reach over the time between epoch and ends
    ///          orbit.collision          the body meets the Sun or a planet on the way
    static Result<Trajectory> make(const StateVector& heliocentric,
                                   const Tdb& epoch,
                                   const Forces& forces,
                                   const Tdb& from,
                                   const Tdb& to,
                                   const TrajectoryOptions& options = {});

    /// From elements; all of the catalogue's bodies go this way.
    static Result<Trajectory> make(const Elements& elements,
                                   const Planets& planets,
                                   const Tdb& from,
                                   const Tdb& to,
                                   const TrajectoryOptions& options = {});

    Trajectory(Trajectory&&) noexcept;
    Trajectory& operator=(Trajectory&&) noexcept;
    ~Trajectory();

    /// Domain   Within the stretch asked for; light-time before it is included.
    [[nodiscard]] StateVector barycentric(const Tdb& time) const;

    /// Domain   As barycentric; made with variations.
    [[nodiscard]] Variation variation(const Tdb& time) const;

    /// Nearest approach to the Earth at the ends and middles of the steps, au: tells who needs care.
    [[nodiscard]] double nearestToEarthAu() const { return nearestToEarth_; }

  private:
    struct Steps;
    Trajectory();

    Tdb epoch_;
    double nearestToEarth_ = 1e9;
    std::unique_ptr<Steps> steps_;
};

/// Heliocentric state of elements at their epoch.
StateVector stateOf(const Elements& elements);

/// Elements of a heliocentric state; name, brightness and outgassing are left to the caller.
///
/// Domain   Any conic; where node or perihelion are undefined (i = 0 or 180 degrees, e = 0) they are 0.
/// Source   Danby 1988, Fundamentals of Celestial Mechanics, 2nd ed., sec. 6.15.
Elements elementsOf(const StateVector& heliocentric, const Tdb& epoch);

} // namespace pathmark::orbit
