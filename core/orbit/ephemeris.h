#pragma once

#include "core/base/result.h"
#include "core/frame/frame_info.h"
#include "core/orbit/elements.h"
#include "core/orbit/planets.h"

#include <optional>

namespace pathmark::orbit {

/// Where the observer is at one moment, barycentric; the same for all bodies.
struct Observer {
    Utc utc;
    Tdb tdb;
    Vec3 place{};    ///< barycentric ICRS, au
    Vec3 sunPlace{}; ///< barycentric, au
};

/// Errors   orbit.outside_ephemeris
Result<Observer> observerAt(const Planets& planets, const frame::Site& site, const Utc& time);

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

    [[nodiscard]] double rateArcsecPerMin() const;

    /// Direction of motion, east of north.
    [[nodiscard]] Angle positionAngle() const;
};

/// The astrometric place of a body at the moment of `observer`.
///
/// Model    Unperturbed orbit about the Sun; light time by iteration; the rate is that of the
///          minute which follows.
/// Accuracy That of the unperturbed orbit: 0.1" within a week of the epoch for a main-belt body.
/// Source   Light time: Urban & Seidelmann 2013, Explanatory Supplement, 3rd ed., sec. 7.4; H-G: Bowell et
///          al. 1989, Asteroids II, p. 524.
Place placeOf(const Elements& elements, const Observer& observer, const Observer& aMinuteLater);

/// placeOf at a time, with the observers of then and of a minute later.
///
/// Errors   orbit.outside_ephemeris
Result<Place>
placeAt(const Elements& elements, const Planets& planets, const frame::Site& site, const Utc& time);

/// Place only, without rate: what a search over a catalogue needs.
SkyPos directionOf(const Elements& elements, const Observer& observer);

/// V magnitude of the H-G system, or a comet's total magnitude; nullopt where the orbit has neither.
std::optional<double>
magnitudeOf(const Brightness& brightness, double sunDistanceAu, double distanceAu, Angle phase);

} // namespace pathmark::orbit
