#pragma once

#include "core/frame/frame_info.h"
#include "core/night/body_orbit.h"
#include "core/night/records.h"
#include "core/night/sky_tables.h"
#include "core/orbit/elements.h"
#include "core/orbit/place/ephemeris.h"
#include "core/orbit/place/two_sites.h"

#include <optional>
#include <string>

namespace pathmark::night {

/// A body as one site saw it.
struct SiteSight {
    SkyPos sky;
    double errorArcsec = 0.0; ///< along an axis
    Utc time;
    frame::Site site;

    /// From what was measured: the mean of the squares of both errors counts.
    static SiteSight of(const SkyPos& sky,
                        double raError,
                        double decError,
                        const Utc& time,
                        const frame::Site& site);
};

/// How far a body is that two sites saw.
struct SiteParallax {
    orbit::Parallax parallax;
    double differenceSeconds = 0.0; ///< from the first time to the second
    bool isMotionTakenOff = false;
    double shiftErrorArcsec = 0.0;
    double distanceErrorAu = 0.0;

    /// By how much the shift is turned away from the direction of the other site: where it is large, something does not fit.
    [[nodiscard]] Angle offLine() const;

    /// Whether it is turned away by so little that sites, times and places fit.
    [[nodiscard]] bool isOnLine() const;
};

/// Where a site is, from the Earth's centre, au, ICRS axes.
Result<Vec3> geocentricOf(const frame::Site& site, const Utc& time, const SkyTables& tables);

/// A body of known elements as a site sees it.
Result<orbit::Place> placeFrom(const frame::Site& site,
                               const Utc& time,
                               const orbit::Elements& elements,
                               const SkyTables& tables);

/// Compares what two sites saw; what the body moved between both times is taken off where its elements are known.
///
/// Errors   orbit.not_determined; those of the tables
Result<SiteParallax> siteParallax(const SiteSight& first,
                                  const SiteSight& second,
                                  const std::optional<orbit::Elements>& elements,
                                  const SkyTables& tables);

/// The same of a place that was measured on a frame of another site against one of the night's own. `site`: see siteFromText. `body`: whose motion is taken off,
/// where the night's orbits have it.
///
/// Errors   those of siteFromText and siteParallax
Result<SiteParallax> nightParallax(const MeasurementRecord& elsewhere,
                                   const std::string& site,
                                   const MeasurementRecord& here,
                                   const BodyId& body,
                                   const OrbitSources& sources);

} // namespace pathmark::night
