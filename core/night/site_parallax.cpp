#include "core/night/site_parallax.h"

#include "core/night/needs/site_text.h"

#include <algorithm>
#include <cmath>

namespace pathmark::night {

SiteSight SiteSight::of(
    const SkyPos& sky, double raError, double decError, const Utc& time, const frame::Site& site) {
    return {sky, std::sqrt(0.5 * (raError * raError + decError * decError)), time, site};
}

Angle SiteParallax::offLine() const {
    return Angle::radians(std::acos(std::clamp(parallax.alongShare, -1.0, 1.0)));
}

bool SiteParallax::isOnLine() const {
    constexpr double degrees = 11.0;
    return offLine().degrees() < degrees;
}

Result<Vec3> geocentricOf(const frame::Site& site, const Utc& time, const SkyTables& tables) {
    const auto observer = orbit::observerAt(tables.planets, site, time, tables.turn);
    const auto centre = orbit::observerInSpace(tables.planets, Vec3{}, time);
    if (!observer || !centre) {
        return fail(!observer ? observer.error() : centre.error());
    }
    return observer->place - centre->place;
}

Result<orbit::Place> placeFrom(const frame::Site& site,
                               const Utc& time,
                               const orbit::Elements& elements,
                               const SkyTables& tables) {
    auto motion = orbit::Ephemeris::make(
        elements, tables.planets, time.plusSeconds(-60.0), time.plusSeconds(60.0));
    if (!motion) {
        return fail(motion.error());
    }
    const auto observer = orbit::observerAt(tables.planets, site, time, tables.turn);
    if (!observer) {
        return fail(observer.error());
    }
    return motion->at(*observer);
}

Result<SiteParallax> siteParallax(const SiteSight& first,
                                  const SiteSight& second,
                                  const std::optional<orbit::Elements>& elements,
                                  const SkyTables& tables) {
    SiteParallax result;
    result.differenceSeconds = second.time.secondsSince(first.time);
    SkyPos sky = second.sky;
    Utc time = second.time;
    if (elements && result.differenceSeconds != 0.0) {
        // Where the second site would have seen it when the first one did.
        const auto then = placeFrom(second.site, first.time, *elements, tables);
        const auto own = placeFrom(second.site, second.time, *elements, tables);
        if (!then || !own) {
            return fail(!then ? then.error() : own.error());
        }
        sky = fromTangentPlane(then->sky, toTangentPlane(own->sky, second.sky));
        time = first.time;
        result.isMotionTakenOff = true;
    }
    const auto here = geocentricOf(first.site, first.time, tables);
    const auto there = geocentricOf(second.site, time, tables);
    if (!here || !there) {
        return fail(!here ? here.error() : there.error());
    }
    const auto parallax = orbit::parallaxOf({first.sky, *here}, {sky, *there});
    if (!parallax) {
        return fail(parallax.error());
    }
    result.parallax = *parallax;
    result.shiftErrorArcsec = std::hypot(first.errorArcsec, second.errorArcsec);
    result.distanceErrorAu = parallax->distanceAu * result.shiftErrorArcsec / parallax->shiftArcsec;
    return result;
}

Result<SiteParallax> nightParallax(const MeasurementRecord& elsewhere,
                                   const std::string& site,
                                   const MeasurementRecord& here,
                                   const BodyId& body,
                                   const OrbitSources& sources) {
    const auto other = siteFromText(site, sources.codes);
    if (!other) {
        return fail(other.error());
    }
    const auto sightOf = [](const MeasurementRecord& m, const frame::Site& from) {
        return SiteSight::of(m.sky, m.raErrorArcsec, m.decErrorArcsec, m.time, from);
    };
    std::optional<orbit::Elements> elements;
    if (const auto known = sources.catalog.find(body.text())) {
        elements = sources.catalog.elements(*known);
    }
    return siteParallax(
        sightOf(elsewhere, *other), sightOf(here, sources.recipe.site), elements, sources.tables);
}

} // namespace pathmark::night
