#pragma once

#include "core/base/result.h"
#include "core/frame/frame_info.h"
#include "core/orbit/elements.h"
#include "core/orbit/motion/trajectory.h"
#include "core/orbit/place/earth_turn.h"
#include "core/orbit/place/magnitude.h"
#include "core/orbit/place/sky_ellipse.h"

#include <optional>

namespace pathmark::orbit {

/// Where the observer is at one moment, barycentric; the same for all bodies.
struct Observer {
    Utc utc;
    Tdb tdb;
    Vec3 place{};    ///< barycentric ICRS, au
    Vec3 velocity{}; ///< au/day
    Vec3 sunPlace{}; ///< barycentric, au
};

/// Errors   orbit.outside_ephemeris
Result<Observer> observerAt(const Planets& planets,
                            const frame::Site& site,
                            const Utc& time,
                            const EarthTurn& turn = {});

/// The same for an observer whose geocentric place is known: a spacecraft, ICRS axes, au.
Result<Observer> observerInSpace(const Planets& planets, const Vec3& geocentric, const Utc& time);

/// A body as seen at one moment.
struct Place {
    Utc time;
    SkyPos sky;                       ///< astrometric topocentric ICRS: light time, no aberration
    double xiRateArcsecPerMin = 0.0;  ///< to the east, on the sky
    double etaRateArcsecPerMin = 0.0; ///< to the north
    std::optional<double> magnitude;  ///< V, or a comet's total
    double sunDistanceAu = 0.0;
    double distanceAu = 0.0;
    Angle phase;      ///< Sun - body - observer
    Angle elongation; ///< Sun - observer - body
    /// What the body moves by on the sky (xi east, eta north) for each unit of longitude, as the Sun sees it, that it is ahead on
    /// its orbit: the way that errors of an orbit grow. Not the way that it seems to move, for the observer moves too.
    PlanePos aheadOnOrbit{};
    std::optional<SkyEllipse> uncertainty; ///< where the orbit carries a covariance

    [[nodiscard]] double rateArcsecPerMin() const;

    /// Direction of motion, east of north.
    [[nodiscard]] Angle positionAngle() const;

    /// How far the body moves during an exposure.
    [[nodiscard]] Angle trail(double exposureSeconds) const {
        return Angle::arcsec(rateArcsecPerMin() * exposureSeconds / 60.0);
    }
};

/// Where one body stands over a stretch of time.
///
/// Model    Trajectory (all that pulls); light time by iteration on the body's own motion; rates are those of
///          the moment; the uncertainty is carried along by the variational equations.
/// Accuracy 0.01" for a main-belt body within a year of its epoch, against a JPL-grade ephemeris.
/// Threads  Reading is safe from many threads.
/// Source   Light time: Urban & Seidelmann 2013, Explanatory Supplement, 3rd ed., sec. 7.4.
class Ephemeris {
  public:
    /// Errors   as Trajectory::make
    static Result<Ephemeris>
    make(const Elements& elements, const Planets& planets, const Utc& from, const Utc& to);

    /// Domain   Times within the stretch given to make().
    [[nodiscard]] Place at(const Observer& observer) const;

    /// The direction alone.
    [[nodiscard]] SkyPos directionFrom(const Observer& observer) const;

    [[nodiscard]] const Elements& elements() const { return elements_; }

    [[nodiscard]] const Trajectory& trajectory() const { return trajectory_; }

  private:
    Ephemeris(const Elements& elements, Trajectory trajectory)
        : elements_(elements), trajectory_(std::move(trajectory)) {}

    Elements elements_;
    Trajectory trajectory_;
};

/// Observer to body, the moment of emission, and the body's state then.
struct Sight {
    Vec3 fromObserver{};
    StateVector body; ///< barycentric at the emission
    Tdb emitted;
};

Sight sightOf(const Trajectory& trajectory, const Observer& observer);

/// How xi (row 0) and eta (row 1) at the body's place change with its state at the epoch and A1, A2, A3; radians.
std::array<std::array<double, 9>, 2> skyPartials(const Sight& sight, const Variation& variation);

/// The place of a body at one time, with all that pulls.
///
/// Errors   as Ephemeris::make
/// Cost     Integrates from the epoch each time: for many times make an Ephemeris.
Result<Place>
placeAt(const Elements& elements, const Planets& planets, const frame::Site& site, const Utc& time);

/// Direction on the unperturbed orbit: what a first search over a catalogue needs.
SkyPos directionOf(const Elements& elements, const Observer& observer);

} // namespace pathmark::orbit
