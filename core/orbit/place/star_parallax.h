#pragma once

#include "core/base/angle.h"
#include "core/base/result.h"
#include "core/base/time.h"

namespace pathmark::orbit {

/// Where a star was seen from, and when.
struct StarSight {
    SkyPos sky;               ///< ICRS, without aberration and refraction
    double errorArcsec = 0.0; ///< along an axis
    Utc time;
    Vec3 observer{}; ///< barycentric, ICRS axes, au
};

/// A star's own motion on the sky, mas a year.
struct ProperMotion {
    double ra = 0.0; ///< times cos dec
    double dec = 0.0;
};

/// What two sights of a star from two places of the Earth's way tell.
struct StarParallax {
    double shiftMas = 0.0;    ///< the proper motion taken off
    double parallaxMas = 0.0; ///< what of the shift lies along the Earth's own, by au
    double errorMas = 0.0;    ///< of the parallax
    double acrossMas = 0.0;   ///< what of the shift lies across: no parallax makes that
    double acrossErrorMas = 0.0;
    double baselineAu = 0.0;       ///< that the Earth went
    double baselineAcrossAu = 0.0; ///< what of it is across the line of sight

    /// By the parallax; only where that is well above its error does it mean much.
    [[nodiscard]] double distanceParsec() const { return 1000.0 / parallaxMas; }
};

/// The parallax of a star whose own motion is known: two dates cannot tell them apart.
///
/// Errors   orbit.not_determined  the Earth went less than a tenth of an au across the line of sight
/// Source   Smart 1977, Textbook on Spherical Astronomy, 6th ed., ch. IX (annual parallax).
Result<StarParallax>
starParallax(const StarSight& first, const StarSight& second, const ProperMotion& motion);

} // namespace pathmark::orbit
