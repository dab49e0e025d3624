#include "core/orbit/place/ephemeris.h"

#include "core/orbit/motion/kepler.h"
#include "core/orbit/place/site_place.h"

#include <cmath>

namespace pathmark::orbit {
namespace {

constexpr double kMinutesPerDay = 1440.0;

Angle angleBetween(const Vec3& a, const Vec3& b) {
    return Angle::radians(std::atan2(norm(cross(a, b)), dot(a, b)));
}

Tdb before(const Tdb& time, double days) {
    return Tdb::julian(time.day(), time.fraction() - days);
}

/// Unit vectors to the east and to the north at a direction.
struct Axes {
    Vec3 east{};
    Vec3 north{};
};

Axes axesAt(const Vec3& direction) {
    const SkyPos sky = SkyPos::fromVector(direction);
    const double ca = std::cos(sky.longitude.radians());
    const double sa = std::sin(sky.longitude.radians());
    const double cd = std::cos(sky.latitude.radians());
    const double sd = std::sin(sky.latitude.radians());
    return {{-sa, ca, 0.0}, {-sd * ca, -sd * sa, cd}};
}

Result<Observer>
observerFrom(const Planets& planets, const StateVector& geocentric, const Utc& time) {
    Observer observer;
    observer.utc = time;
    observer.tdb = toTdb(time);
    auto earth = planets.earth(observer.tdb);
    auto sun = planets.sun(observer.tdb);
    if (!earth || !sun) {
        return fail(earth ? sun.error() : earth.error());
    }
    observer.place = earth->position + geocentric.position;
    observer.velocity = earth->velocity + geocentric.velocity;
    observer.sunPlace = sun->position;
    return observer;
}

SkyEllipse
ellipseOf(const OrbitCovariance& covariance, const Sight& sight, const Variation& variation) {
    const auto rows = skyPartials(sight, variation);
    const auto product = [&](std::size_t a, std::size_t b) {
        double sum = 0.0;
        for (std::size_t i = 0; i < 9; ++i) {
            for (std::size_t j = 0; j < 9; ++j) {
                sum += rows[a][i] * covariance.matrix[9 * i + j] * rows[b][j];
            }
        }
        return sum;
    };
    return SkyEllipse::fromCovariance(product(0, 0), product(0, 1), product(1, 1));
}

} // namespace

Result<Observer> observerAt(const Planets& planets,
                            const frame::Site& site,
                            const Utc& time,
                            const EarthTurn& turn) {
    return observerFrom(planets, sitePlace(site, time, turn), time);
}

Result<Observer> observerInSpace(const Planets& planets, const Vec3& geocentric, const Utc& time) {
    return observerFrom(planets, {geocentric, {}}, time);
}

double Place::rateArcsecPerMin() const {
    return std::hypot(xiRateArcsecPerMin, etaRateArcsecPerMin);
}

Angle Place::positionAngle() const {
    return normalised(Angle::radians(std::atan2(xiRateArcsecPerMin, etaRateArcsecPerMin)));
}

Sight sightOf(const Trajectory& trajectory, const Observer& observer) {
    Sight s;
    double lightDays = 0.0;
    for (int i = 0; i < 6; ++i) {
        s.emitted = before(observer.tdb, lightDays);
        s.body = trajectory.barycentric(s.emitted);
        s.fromObserver = s.body.position - observer.place;
        const double next = norm(s.fromObserver) / kLightAuPerDay;
        const bool settled = std::abs(next - lightDays) < 1e-12;
        lightDays = next;
        if (settled) {
            break;
        }
    }
    return s;
}

std::array<std::array<double, 9>, 2> skyPartials(const Sight& sight, const Variation& variation) {
    const double distance = norm(sight.fromObserver);
    const Vec3 line = (1.0 / distance) * sight.fromObserver;
    const Axes axes = axesAt(line);
    // A shift along the line of sight also shifts the moment of emission: one part in c / v.
    const Vec3 lag =
        (1.0 / (kLightAuPerDay + dot(line, sight.body.velocity))) * sight.body.velocity;
    std::array<std::array<double, 9>, 2> rows{};
    for (std::size_t j = 0; j < 9; ++j) {
        const Vec3 moved{variation.matrix[0][j], variation.matrix[1][j], variation.matrix[2][j]};
        const Vec3 seen = moved - dot(line, moved) * lag;
        rows[0][j] = dot(axes.east, seen) / distance;
        rows[1][j] = dot(axes.north, seen) / distance;
    }
    return rows;
}

Result<Ephemeris>
Ephemeris::make(const Elements& elements, const Planets& planets, const Utc& from, const Utc& to) {
    TrajectoryOptions options;
    options.variations = elements.covariance != nullptr;
    options.pushes = options.variations && elements.outgassing.has_value();
    auto trajectory = Trajectory::make(elements, planets, toTdb(from), toTdb(to), options);
    if (!trajectory) {
        return fail(trajectory.error());
    }
    return Ephemeris(elements, std::move(*trajectory));
}

SkyPos Ephemeris::directionFrom(const Observer& observer) const {
    return SkyPos::fromVector(sightOf(trajectory_, observer).fromObserver);
}

Place Ephemeris::at(const Observer& observer) const {
    const Sight s = sightOf(trajectory_, observer);
    const double distance = norm(s.fromObserver);
    const Vec3 line = (1.0 / distance) * s.fromObserver;
    // d(emission)/dt: the light path grows while the body recedes.
    const double slow = (1.0 + dot(line, observer.velocity) / kLightAuPerDay) /
                        (1.0 + dot(line, s.body.velocity) / kLightAuPerDay);
    const Vec3 moving = slow * s.body.velocity - observer.velocity;
    const Axes axes = axesAt(line);
    Place place;
    place.time = observer.utc;
    place.sky = SkyPos::fromVector(s.fromObserver);
    const double unit = 1.0 / (distance * kRadiansPerArcsec * kMinutesPerDay);
    place.xiRateArcsecPerMin = unit * dot(axes.east, moving);
    place.etaRateArcsecPerMin = unit * dot(axes.north, moving);
    // The Sun has moved 1e-6 au in the light time at most.
    const Vec3 fromSun = s.body.position - observer.sunPlace;
    place.sunDistanceAu = norm(fromSun);
    place.distanceAu = distance;
    // Its longitude grows by |r x v| / r^2 in a day, while it moves by v.
    const double ahead = dot(fromSun, fromSun) / (distance * norm(cross(fromSun, s.body.velocity)));
    place.aheadOnOrbit = {ahead * dot(axes.east, s.body.velocity),
                          ahead * dot(axes.north, s.body.velocity)};
    place.phase = angleBetween(-1.0 * s.fromObserver, -1.0 * fromSun);
    place.elongation = angleBetween(s.fromObserver, observer.sunPlace - observer.place);
    place.magnitude =
        magnitudeOf(elements_.brightness, place.sunDistanceAu, place.distanceAu, place.phase);
    if (elements_.covariance) {
        place.uncertainty = ellipseOf(*elements_.covariance, s, trajectory_.variation(s.emitted));
    }
    return place;
}

Result<Place> placeAt(const Elements& elements,
                      const Planets& planets,
                      const frame::Site& site,
                      const Utc& time) {
    auto observer = observerAt(planets, site, time);
    if (!observer) {
        return fail(observer.error());
    }
    auto ephemeris = Ephemeris::make(elements, planets, time, time);
    if (!ephemeris) {
        return fail(ephemeris.error());
    }
    return ephemeris->at(*observer);
}

SkyPos directionOf(const Elements& elements, const Observer& observer) {
    Vec3 fromObserver{};
    double lightDays = 0.0;
    for (int i = 0; i < 3; ++i) {
        const Vec3 fromSun = propagateTwoBody(elements, before(observer.tdb, lightDays)).position;
        fromObserver = fromSun + observer.sunPlace - observer.place;
        lightDays = norm(fromObserver) / kLightAuPerDay;
    }
    return SkyPos::fromVector(fromObserver);
}

} // namespace pathmark::orbit
