#include "simulate/orbit_through.h"

#include "core/base/expects.h"
#include "simulate/body_motion.h"
#include "simulate/optics.h"

#include <erfa.h>

#include <algorithm>
#include <cmath>
#include <numbers>

namespace pathmark::simulate {
namespace {

constexpr double kObliquityDegrees = 84381.448 / 3600.0;

Vec3 unit(const Vec3& v) {
    return (1.0 / norm(v)) * v;
}

/// Equatorial to ecliptic axes of J2000.
Vec3 toEcliptic(const Vec3& v) {
    const double c = std::cos(kObliquityDegrees * kRadiansPerDegree);
    const double s = std::sin(kObliquityDegrees * kRadiansPerDegree);
    return {v[0], c * v[1] + s * v[2], c * v[2] - s * v[1]};
}

double inCircle(double radians) {
    const double degrees = radians / kRadiansPerDegree;
    return degrees - 360.0 * std::floor(degrees / 360.0);
}

} // namespace

BodyScenario orbitThrough(const OrbitWish& wish, const Utc& time) {
    PATHMARK_EXPECTS(wish.speed < 1.40);
    double helio[2][3];
    double bary[2][3];
    eraEpv00(time.day(), time.fraction() + 69.2 / 86400.0, helio, bary);
    const Vec3 earth{helio[0][0], helio[0][1], helio[0][2]};
    const Vec3 r =
        toEcliptic(earth + wish.distanceAu * unitVector(wish.raDegrees, wish.decDegrees));
    const double distance = norm(r);
    const Vec3 out = unit(r);
    // Along the ecliptic's direction of motion, across the line from the Sun.
    const Vec3 along = unit(cross(Vec3{0.0, 0.0, 1.0}, out));
    const Vec3 up = cross(out, along);
    const double turn = wish.turnDegrees * kRadiansPerDegree;
    const double climb = wish.climbDegrees * kRadiansPerDegree;
    const Vec3 tangent = std::cos(turn) * along + std::sin(turn) * up;
    const double speed = wish.speed * kGauss / std::sqrt(distance); // au a day
    const Vec3 v = (speed * std::cos(climb)) * tangent + (speed * std::sin(climb)) * out;

    const double mu = kGauss * kGauss;
    const Vec3 h = cross(r, v);
    const Vec3 node{-h[1], h[0], 0.0};
    const Vec3 e = (1.0 / mu) * cross(v, h) - out;
    const double a = 1.0 / (2.0 / distance - dot(v, v) / mu);
    const double eccentricity = std::max(1e-6, norm(e));
    BodyScenario body;
    // The midnight before, as epochs of lists are; further away the planets' pull, which is not in the model, would show.
    body.epochJulian = std::floor(time.julian() - 0.5) + 0.5;
    body.eccentricity = eccentricity;
    body.perihelionAu = a * (1.0 - eccentricity);
    body.inclinationDegrees = std::acos(std::clamp(h[2] / norm(h), -1.0, 1.0)) / kRadiansPerDegree;
    body.nodeDegrees = inCircle(std::atan2(node[1], node[0]));
    const Vec3 nodeLine = unit(node);
    const Vec3 nodeAcross = cross(unit(h), nodeLine);
    body.argumentDegrees = inCircle(std::atan2(dot(e, nodeAcross), dot(e, nodeLine)));
    const Vec3 perihelion = unit(e);
    const Vec3 beyond = cross(unit(h), perihelion);
    const double trueAnomaly = std::atan2(dot(r, beyond), dot(r, perihelion));
    const double eccentric =
        2.0 * std::atan(std::sqrt((1.0 - eccentricity) / (1.0 + eccentricity)) *
                        std::tan(0.5 * trueAnomaly));
    const double mean = eccentric - eccentricity * std::sin(eccentric);
    const double motion = kGauss / (a * std::sqrt(a));
    body.meanAnomalyDegrees =
        inCircle(mean - motion * (time.julian() + 69.2 / 86400.0 - body.epochJulian));
    return body;
}

} // namespace pathmark::simulate
