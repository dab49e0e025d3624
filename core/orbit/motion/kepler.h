#pragma once

#include "core/orbit/elements.h"

#include <utility>

namespace pathmark::orbit {

/// From one time to another.
inline double daysBetween(const Tdb& from, const Tdb& to) {
    return to.secondsSince(from) / kSecondsPerDay;
}

/// Place and velocity of a body on its unperturbed orbit.
///
/// Model    Two bodies, any eccentricity >= 0, near-parabolic ones without loss of digits.
/// Frame    Heliocentric, ICRS axes (ecliptic J2000 turned by the IAU 1976 obliquity 84381.448").
/// Accuracy 1e-12 au against the closed forms (tested).
/// Source   Universal variables and Stumpff functions: Danby 1988, Fundamentals of Celestial
///          Mechanics, 2nd ed., sec. 6.9.
StateVector propagateTwoBody(const Elements& elements, const Tdb& time);

/// The same from a heliocentric state, by so many days; forwards or backwards.
///
/// Domain   Any state that is not falling straight into the Sun.
StateVector propagateTwoBody(const StateVector& state, double days);

/// Unit vectors to the perihelion and 90 degrees on along the motion, ICRS axes.
std::pair<Vec3, Vec3> perifocalAxes(const Elements& elements);

/// Turns an ecliptic J2000 vector into ICRS axes.
Vec3 eclipticToIcrs(const Vec3& v);

/// The way back.
Vec3 icrsToEcliptic(const Vec3& v);

/// The functions c0 ... c3 of Stumpff: c0 = cos sqrt(x), c1 = sin sqrt(x) / sqrt(x), and on; any sign of x.
///
/// Source   Danby 1988, sec. 6.9.
struct Stumpff {
    double c0, c1, c2, c3;
};

Stumpff stumpff(double x);

} // namespace pathmark::orbit
