#pragma once

#include "core/base/time.h"
#include "core/frame/frame_info.h"

namespace pathmark::orbit {

/// How high the Sun stands above the horizon of a site, without refraction; good to 0.02 degrees between 1950 and 2050.
///
/// Source   The Astronomical Almanac, section C, "Low precision formulas for the Sun"; sidereal time as in section B, UT1 taken as UTC
Angle sunAltitude(const frame::Site& site, const Utc& time);

} // namespace pathmark::orbit
