#pragma once

#include "simulate/scenario.h"

namespace pathmark::simulate {

/// Where a body is to be seen, and how it moves about the Sun.
struct OrbitWish {
    double raDegrees = 0.0; ///< from the Earth's centre, at the time
    double decDegrees = 0.0;
    double distanceAu = 1.5;   ///< from the Earth
    double speed = 1.0;        ///< of the speed on a circle about the Sun at that place
    double climbDegrees = 0.0; ///< of the motion out of the circle's tangent, away from the Sun
    double turnDegrees =
        0.0; ///< of the motion about the line from the Sun; 0: as near to the ecliptic as it can be
};

/// The elements of a body that passes a place at a time, with its epoch at the midnight before.
///
/// Source   Two-body elements from place and motion: Bate, Mueller & White 1971, Fundamentals of Astrodynamics, ch. 2.4.
/// Domain   Ellipses with an eccentricity below 0.98: speed below 1.40.
BodyScenario orbitThrough(const OrbitWish& wish, const Utc& time);

} // namespace pathmark::simulate
