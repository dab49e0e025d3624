#pragma once

#include "core/base/time.h"
#include "core/frame/frame_info.h"

namespace pathmark::orbit {

/// Geocentric place of a site in au, axes of the ICRS (GCRS).
///
/// Model    WGS84 ellipsoid; IAU 2006/2000A precession-nutation; UT1 = UTC, no polar motion.
/// Accuracy UT1-UTC of up to 0.9 s is 420 m at the equator: 0.003" for a body at 0.2 au.
/// Source   ERFA eraGd2gc, eraC2t06a.
Vec3 sitePlace(const frame::Site& site, const Utc& time);

} // namespace pathmark::orbit
