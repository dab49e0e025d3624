#pragma once

#include "core/orbit/elements.h"

namespace pathmark::orbit {

/// Place and velocity of a body on its unperturbed orbit.
///
/// Model    Two bodies, any eccentricity >= 0, near-parabolic ones without loss of digits.
/// Frame    Heliocentric, ICRS axes (ecliptic J2000 turned by the IAU 1976 obliquity 84381.448").
/// Accuracy 1e-12 au against the closed forms (tested).
/// Source   Universal variables and Stumpff functions: Danby 1988, Fundamentals of Celestial
///          Mechanics, 2nd ed., sec. 6.9.
StateVector propagateTwoBody(const Elements& elements, const Tdb& time);

/// Turns an ecliptic J2000 vector into ICRS axes.
Vec3 eclipticToIcrs(const Vec3& v);

} // namespace pathmark::orbit
