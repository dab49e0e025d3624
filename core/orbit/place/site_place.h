#pragma once

#include "core/base/time.h"
#include "core/frame/frame_info.h"
#include "core/orbit/elements.h"
#include "core/orbit/place/earth_turn.h"

namespace pathmark::orbit {

/// Geocentric place and velocity of a site, au and au/day, axes of the ICRS (GCRS).
///
/// Model    WGS84 ellipsoid, or the parallax constants where the site has them; IAU 2006/2000B
///          precession-nutation; UT1 and pole from `turn`.
/// Accuracy IAU 2000B is within 1 mas of 2000A: 3 cm on the ground. UT1 = UTC costs up to 420 m.
/// Source   ERFA eraGd2gc, eraC2t00b.
StateVector sitePlace(const frame::Site& site, const Utc& time, const EarthTurn& turn = {});

/// The same place by longitude, latitude and altitude, where it is given by parallax constants.
///
/// Accuracy a millimetre of what the constants say (ERFA's eraGc2gd).
frame::Site geodetic(const frame::Site& site);

} // namespace pathmark::orbit
