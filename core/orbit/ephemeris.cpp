#include "core/orbit/ephemeris.h"

#include "core/orbit/kepler.h"
#include "core/orbit/site_place.h"

#include <cmath>

namespace pathmark::orbit {
namespace {

constexpr double kLightDaysPerAu = 499.00478383615643 / kSecondsPerDay;

/// Observer to body and Sun to body, light time taken into account.
struct Sight {
    Vec3 fromObserver{};
    Vec3 fromSun{};
};

Sight sight(const Elements& elements, const Observer& observer) {
    Sight s;
    double lightDays = 0.0;
    for (int i = 0; i < 4; ++i) {
        const Tdb emitted = Tdb::julian(observer.tdb.day(), observer.tdb.fraction() - lightDays);
        s.fromSun = propagateTwoBody(elements, emitted).position;
        // The Sun moves 1e-8 au in an hour of light time: far below everything else here.
        s.fromObserver = s.fromSun + observer.sunPlace - observer.place;
        const double next = kLightDaysPerAu * norm(s.fromObserver);
        const bool settled = std::abs(next - lightDays) < 1e-11;
        lightDays = next;
        if (settled) {
            break;
        }
    }
    return s;
}

Angle angleBetween(const Vec3& a, const Vec3& b) {
    return Angle::radians(std::atan2(norm(cross(a, b)), dot(a, b)));
}

} // namespace

Result<Observer> observerAt(const Planets& planets, const frame::Site& site, const Utc& time) {
    Observer observer;
    observer.utc = time;
    observer.tdb = toTdb(time);
    auto earth = planets.earth(observer.tdb);
    auto sun = planets.sun(observer.tdb);
    if (!earth || !sun) {
        return fail(earth ? sun.error() : earth.error());
    }
    observer.place = earth->position + sitePlace(site, time);
    observer.sunPlace = sun->position;
    return observer;
}

double Place::rateArcsecPerMin() const {
    return std::hypot(xiRateArcsecPerMin, etaRateArcsecPerMin);
}

Angle Place::positionAngle() const {
    return normalised(Angle::radians(std::atan2(xiRateArcsecPerMin, etaRateArcsecPerMin)));
}

SkyPos directionOf(const Elements& elements, const Observer& observer) {
    return SkyPos::fromVector(sight(elements, observer).fromObserver);
}

std::optional<double>
magnitudeOf(const Brightness& brightness, double sunDistanceAu, double distanceAu, Angle phase) {
    if (brightness.m1) {
        return *brightness.m1 + 5.0 * std::log10(distanceAu) +
               brightness.k1 * std::log10(sunDistanceAu);
    }
    if (!brightness.h) {
        return std::nullopt;
    }
    const double tangent = std::tan(0.5 * phase.radians());
    const double phi1 = std::exp(-3.33 * std::pow(tangent, 0.63));
    const double phi2 = std::exp(-1.87 * std::pow(tangent, 1.22));
    return *brightness.h + 5.0 * std::log10(sunDistanceAu * distanceAu) -
           2.5 * std::log10((1.0 - brightness.g) * phi1 + brightness.g * phi2);
}

Place placeOf(const Elements& elements, const Observer& observer, const Observer& aMinuteLater) {
    const Sight now = sight(elements, observer);
    const Sight later = sight(elements, aMinuteLater);
    Place place;
    place.time = observer.utc;
    place.sky = SkyPos::fromVector(now.fromObserver);
    const PlanePos moved = toTangentPlane(place.sky, SkyPos::fromVector(later.fromObserver));
    const double minutes = aMinuteLater.utc.secondsSince(observer.utc) / 60.0;
    place.xiRateArcsecPerMin = Angle::radians(moved.xi).arcsec() / minutes;
    place.etaRateArcsecPerMin = Angle::radians(moved.eta).arcsec() / minutes;
    place.sunDistanceAu = norm(now.fromSun);
    place.distanceAu = norm(now.fromObserver);
    const Vec3 toObserver = -1.0 * now.fromObserver;
    const Vec3 toSun = -1.0 * now.fromSun;
    place.phase = angleBetween(toObserver, toSun);
    place.elongation = angleBetween(now.fromObserver, observer.sunPlace - observer.place);
    place.magnitude =
        magnitudeOf(elements.brightness, place.sunDistanceAu, place.distanceAu, place.phase);
    return place;
}

Result<Place> placeAt(const Elements& elements,
                      const Planets& planets,
                      const frame::Site& site,
                      const Utc& time) {
    auto now = observerAt(planets, site, time);
    auto later = observerAt(planets, site, time.plusSeconds(60.0));
    if (!now || !later) {
        return fail(now ? later.error() : now.error());
    }
    return placeOf(elements, *now, *later);
}

} // namespace pathmark::orbit
