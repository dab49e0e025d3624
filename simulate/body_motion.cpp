#include "simulate/body_motion.h"

#include <erfa.h>
#include <erfam.h>

#include <cmath>
#include <numbers>

namespace pathmark::simulate {
namespace {

constexpr double kLightDays = 0.0057755183; ///< per au

/// TT as a Julian date pair from UTC, through ERFA alone.
void terrestrialTime(const Utc& utc, double& day, double& fraction) {
    double tai1 = 0.0;
    double tai2 = 0.0;
    eraUtctai(utc.day(), utc.fraction(), &tai1, &tai2);
    eraTaitt(tai1, tai2, &day, &fraction);
}

/// Heliocentric place in au by Kepler's equation and rotations one after the other.
Vec3 helioPlace(const BodyScenario& b, double day, double fraction) {
    const double a = b.perihelionAu / (1.0 - b.eccentricity);
    const double motion = kGauss / (a * std::sqrt(a));
    const double since = (day - b.epochJulian) + fraction;
    const double meanAnomaly = b.meanAnomalyDegrees * kRadiansPerDegree + motion * since;
    double anomaly = meanAnomaly + b.eccentricity * std::sin(meanAnomaly);
    for (int i = 0; i < 60; ++i) {
        anomaly -= (anomaly - b.eccentricity * std::sin(anomaly) - meanAnomaly) /
                   (1.0 - b.eccentricity * std::cos(anomaly));
    }
    double x = a * (std::cos(anomaly) - b.eccentricity);
    double y = a * std::sqrt(1.0 - b.eccentricity * b.eccentricity) * std::sin(anomaly);
    double z = 0.0;
    const auto turn = [](double& p, double& q, double degrees) {
        const double angle = degrees * kRadiansPerDegree;
        const double before = p;
        p = before * std::cos(angle) - q * std::sin(angle);
        q = before * std::sin(angle) + q * std::cos(angle);
    };
    turn(x, y, b.argumentDegrees);
    turn(y, z, b.inclinationDegrees);
    turn(x, y, b.nodeDegrees);
    turn(y, z, 84381.448 / 3600.0);
    return {x, y, z};
}

} // namespace

Vec3 earthPlace(const Utc& time) {
    double day = 0.0;
    double fraction = 0.0;
    terrestrialTime(time, day, fraction);
    double heliocentric[2][3];
    double barycentric[2][3];
    eraEpv00(day, fraction, heliocentric, barycentric);
    return {barycentric[0][0], barycentric[0][1], barycentric[0][2]};
}

namespace {

/// Two maxima a rotation, the second lower: from highest to lowest as much as is asked for.
double rotationOf(const BodyScenario& body, double julian) {
    if (body.rotationHours <= 0.0) {
        return 0.0;
    }
    const double phase = 2.0 * std::numbers::pi *
                         std::fmod(24.0 * (julian - body.epochJulian) / body.rotationHours, 1.0);
    // cos 2p + a cos p lies between -1 - a^2 / 8 and 1 + a.
    constexpr double a = 0.3;
    constexpr double span = 2.0 + a + a * a / 8.0;
    return -body.amplitudeMag / span * (std::cos(2.0 * phase) + a * std::cos(phase));
}

} // namespace

BodySight seeBody(const BodyScenario& body, const SiteScenario& site, const Utc& time) {
    double day = 0.0;
    double fraction = 0.0;
    terrestrialTime(time, day, fraction);
    double helio[2][3];
    double bary[2][3];
    eraEpv00(day, fraction, helio, bary);
    double fixed[3];
    eraGd2gc(ERFA_WGS84,
             site.longitudeDegrees * kRadiansPerDegree,
             site.latitudeDegrees * kRadiansPerDegree,
             site.altitudeMetres,
             fixed);
    double toTerrestrial[3][3];
    eraC2t06a(day, fraction, time.day(), time.fraction(), 0.0, 0.0, toTerrestrial);
    Vec3 observer{};
    for (std::size_t i = 0; i < 3; ++i) {
        double sum = 0.0;
        for (std::size_t j = 0; j < 3; ++j) {
            sum += toTerrestrial[j][i] * fixed[j];
        }
        observer[i] = helio[0][i] + sum / 149597870700.0;
    }
    BodySight sight;
    double light = 0.0;
    Vec3 sunToBody{};
    Vec3 line{};
    for (int i = 0; i < 5; ++i) {
        sunToBody = helioPlace(body, day, fraction - light);
        line = sunToBody - observer;
        light = kLightDays * norm(line);
    }
    sight.distanceAu = norm(line);
    sight.sunDistanceAu = norm(sunToBody);
    sight.direction = (1.0 / sight.distanceAu) * line;
    sight.awayFromSun = (1.0 / sight.sunDistanceAu) * sunToBody;
    if (body.m1) {
        sight.magnitudeV = *body.m1 + 5.0 * std::log10(sight.distanceAu) +
                           body.k1 * std::log10(sight.sunDistanceAu);
        return sight;
    }
    const double cosine = dot(sight.direction, sight.awayFromSun);
    const double half = std::tan(0.5 * std::acos(std::min(1.0, cosine)));
    const double a1 = std::exp(-3.33 * std::pow(half, 0.63));
    const double a2 = std::exp(-1.87 * std::pow(half, 1.22));
    sight.magnitudeV = body.h + 5.0 * std::log10(sight.distanceAu * sight.sunDistanceAu) -
                       2.5 * std::log10((1.0 - body.g) * a1 + body.g * a2);
    sight.magnitudeV += rotationOf(body, time.julian() - light);
    return sight;
}

} // namespace pathmark::simulate
