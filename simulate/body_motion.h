#pragma once

#include "simulate/scenario.h"

namespace pathmark::simulate {

/// Gaussian gravitational constant: the mean motion in radians a day at 1 au.
inline constexpr double kGauss = 0.01720209895;

/// A body as it is seen from the site: its own Kepler solver and ERFA's analytic Earth, apart from everything in
/// core/orbit.
struct BodySight {
    Vec3 direction{}; ///< astrometric, unit vector, ICRS axes
    double magnitudeV = 0.0;
    double sunDistanceAu = 0.0;
    double distanceAu = 0.0;
    Vec3 awayFromSun{}; ///< unit vector Sun to body
};

/// Source   Kepler's equation by Newton: Meeus 1998, Astronomical Algorithms, 2nd ed., ch. 30; H-G: ch. 33.
BodySight seeBody(const BodyScenario& body, const SiteScenario& site, const Utc& time);

/// Barycentric place of the Earth's centre in au (ERFA eraEpv00, 5 km).
Vec3 earthPlace(const Utc& time);

} // namespace pathmark::simulate
