#include "core/orbit/motion/forces.h"

#include "core/base/expects.h"

#include <cmath>

namespace pathmark::orbit {
namespace {

/// g(r) of Marsden, Sekanina & Yeomans 1973, table and equation (3) for water ice.
double sublimation(double r) {
    constexpr double alpha = 0.1112620426;
    constexpr double r0 = 2.808;
    constexpr double m = 2.15;
    constexpr double n = 5.093;
    constexpr double k = 4.6142;
    const double x = r / r0;
    return alpha * std::pow(x, -m) * std::pow(1.0 + std::pow(x, n), -k);
}

/// Columns: the unit pushes away from the Sun, along the motion, out of the orbit's plane, times g(r).
Matrix3 pushes(const Vec3& fromSun, const Vec3& velocity) {
    const double r = norm(fromSun);
    const Vec3 radial = (1.0 / r) * fromSun;
    const Vec3 momentum = cross(fromSun, velocity);
    const Vec3 normal = (1.0 / norm(momentum)) * momentum;
    const Vec3 transverse = cross(normal, radial);
    const double g = sublimation(r);
    Matrix3 m{};
    for (std::size_t i = 0; i < 3; ++i) {
        m[3 * i] = g * radial[i];
        m[3 * i + 1] = g * transverse[i];
        m[3 * i + 2] = g * normal[i];
    }
    return m;
}

Vec3 outgassingPush(const Outgassing& a, const Vec3& fromSun, const Vec3& velocity) {
    const Matrix3 m = pushes(fromSun, velocity);
    Vec3 sum{};
    for (std::size_t i = 0; i < 3; ++i) {
        sum[i] = a.radial * m[3 * i] + a.transverse * m[3 * i + 1] + a.normal * m[3 * i + 2];
    }
    return sum;
}

Vec3 relativity(const Vec3& fromSun, const Vec3& velocity) {
    constexpr double c2 = kLightAuPerDay * kLightAuPerDay;
    const double r = norm(fromSun);
    const double v2 = dot(velocity, velocity);
    const double factor = kSunGm / (c2 * r * r * r);
    return factor * ((4.0 * kSunGm / r - v2) * fromSun + (4.0 * dot(fromSun, velocity)) * velocity);
}

Vec3 flattening(const Vec3& fromEarth, double gm) {
    constexpr double j2 = 1.0826359e-3;
    constexpr double radius = 6378.137 / kKilometresPerAu;
    const double r2 = dot(fromEarth, fromEarth);
    const double r = std::sqrt(r2);
    const double factor = 1.5 * j2 * gm * radius * radius / (r2 * r2 * r);
    const double z2 = 5.0 * fromEarth[2] * fromEarth[2] / r2;
    return {factor * fromEarth[0] * (z2 - 1.0),
            factor * fromEarth[1] * (z2 - 1.0),
            factor * fromEarth[2] * (z2 - 3.0)};
}

constexpr double kFlatteningReachAu = 0.05;

} // namespace

Forces::Forces(const Planets& planets,
               const std::string& name,
               std::optional<Outgassing> outgassing)
    : planets_(&planets), outgassing_(outgassing) {
    for (const Attractor& a : kMajorBodies) {
        if (planets.has(a.body)) {
            earth_ = a.body == SpkBody::Earth ? attractors_.size() : earth_;
            attractors_.push_back(a);
        }
    }
    PATHMARK_EXPECTS(!attractors_.empty() && attractors_.front().body == SpkBody::Sun);
    for (const Attractor& a : kMinorAttractors) {
        const std::string own = "(" + std::to_string(static_cast<int>(a.body) - 2000000) + ")";
        if (planets.has(a.body) && name != own) {
            attractors_.push_back(a);
        }
    }
}

bool Forces::moment(double seconds, Moment& moment) const {
    Planets::State sun;
    if (!planets_->find(SpkBody::Sun, seconds, sun)) {
        return false;
    }
    moment.places[0] = sun.position;
    moment.sunVelocity = sun.velocity;
    for (std::size_t i = 1; i < attractors_.size(); ++i) {
        if (!planets_->findPlace(attractors_[i].body, seconds, moment.places[i])) {
            return false;
        }
    }
    return true;
}

Vec3 Forces::acceleration(const Moment& moment, const Vec3& place, const Vec3& velocity) const {
    Vec3 sum{};
    // The Sun last: the small terms keep their digits.
    for (std::size_t i = attractors_.size(); i-- > 0;) {
        const Vec3 d = moment.places[i] - place;
        const double r2 = dot(d, d);
        sum = sum + (attractors_[i].gm / (r2 * std::sqrt(r2))) * d;
    }
    const Vec3 fromSun = place - moment.places[0];
    const Vec3 relative = velocity - moment.sunVelocity;
    sum = sum + relativity(fromSun, relative);
    if (outgassing_) {
        sum = sum + outgassingPush(*outgassing_, fromSun, relative);
    }
    if (earth_ != 0) {
        const Vec3 fromEarth = place - moment.places[earth_];
        if (dot(fromEarth, fromEarth) < kFlatteningReachAu * kFlatteningReachAu) {
            sum = sum + flattening(fromEarth, attractors_[earth_].gm);
        }
    }
    return sum;
}

Forces::Partials
Forces::partials(const Moment& moment, const Vec3& place, const Vec3& velocity) const {
    Partials p;
    for (std::size_t k = attractors_.size(); k-- > 0;) {
        const Vec3 d = moment.places[k] - place;
        const double r2 = dot(d, d);
        const double pull = attractors_[k].gm / (r2 * std::sqrt(r2));
        for (std::size_t i = 0; i < 3; ++i) {
            for (std::size_t j = 0; j < 3; ++j) {
                p.byPlace[3 * i + j] += 3.0 * pull * d[i] * d[j] / r2;
            }
            p.byPlace[4 * i] -= pull;
        }
    }
    const Vec3 fromSun = place - moment.places[0];
    const Vec3 relative = velocity - moment.sunVelocity;
    p.byPush = pushes(fromSun, relative);
    if (outgassing_) {
        // Differences of a smooth, small term: 1e-5 of it is far below what a fit can feel.
        const double dr = 1e-5 * norm(fromSun);
        const double dv = 1e-5 * norm(relative);
        for (std::size_t j = 0; j < 3; ++j) {
            Vec3 step{};
            step[j] = 1.0;
            const Vec3 byR = outgassingPush(*outgassing_, fromSun + dr * step, relative) -
                             outgassingPush(*outgassing_, fromSun - dr * step, relative);
            const Vec3 byV = outgassingPush(*outgassing_, fromSun, relative + dv * step) -
                             outgassingPush(*outgassing_, fromSun, relative - dv * step);
            for (std::size_t i = 0; i < 3; ++i) {
                p.byPlace[3 * i + j] += byR[i] / (2.0 * dr);
                p.byVelocity[3 * i + j] += byV[i] / (2.0 * dv);
            }
        }
    }
    return p;
}

std::optional<SpkBody> Forces::met(const Moment& moment, const Vec3& place) const {
    for (std::size_t i = 0; i < attractors_.size(); ++i) {
        const Vec3 d = moment.places[i] - place;
        if (dot(d, d) < attractors_[i].radiusAu * attractors_[i].radiusAu) {
            return attractors_[i].body;
        }
    }
    return std::nullopt;
}

} // namespace pathmark::orbit
