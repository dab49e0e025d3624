#pragma once

#include "core/base/angle.h"
#include "core/base/result.h"

namespace pathmark::orbit {

/// A body seen from one site.
struct SightLine {
    SkyPos sky;        ///< astrometric, ICRS
    Vec3 geocentric{}; ///< of the site at that moment, ICRS axes, au
};

/// What two lines of sight of one moment tell.
struct Parallax {
    double shiftArcsec = 0.0;             ///< between both directions
    double baselineAu = 0.0;              ///< between the sites
    double baselinePerpendicularAu = 0.0; ///< what of it is across the line of sight
    double distanceAu = 0.0;              ///< from the Earth's centre
    double alongShare =
        0.0; ///< cosine of the angle between the shift and the baseline as seen: 1 where both agree
};

/// The body's place by the lines' nearest approach.
///
/// Errors   orbit.not_determined  the lines do not meet in front of the observers, or show no shift
/// Source   Smart 1977, Textbook on Spherical Astronomy, 6th ed., ch. IX (parallax).
Result<Parallax> parallaxOf(const SightLine& a, const SightLine& b);

} // namespace pathmark::orbit
