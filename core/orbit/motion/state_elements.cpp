#include "core/orbit/motion/kepler.h"
#include "core/orbit/motion/trajectory.h"

#include <cmath>

namespace pathmark::orbit {
namespace {

/// Time since perihelion of a body at distance r with radial speed of the sign of `outward`.
///
/// Source   Universal variables from perihelion, as in propagateTwoBody: t = q s c1 + GM s^3 c3.
double daysSincePerihelion(double q, double e, double r, double radialSpeed) {
    const double alpha = kSunGm * (1.0 - e) / q;
    // sigma = r . v / sqrt(GM); from it and r the anomaly follows without loss near the parabola.
    const double sigma = r * radialSpeed;
    if (std::abs(alpha) * r < 0.1 * kSunGm && e > 0.5) {
        // Near perihelion of a long orbit the closed forms lose digits; r . v = GM e s c1 does not.
        double s = sigma / (kSunGm * e);
        for (int i = 0; i < 50; ++i) {
            const auto c = stumpff(alpha * s * s);
            const double f = kSunGm * e * s * c.c1 - sigma;
            const double slope = kSunGm * e * c.c0;
            const double next = s - f / slope;
            if (!(std::abs(next - s) > 1e-15 * std::abs(s))) {
                break;
            }
            s = next;
        }
        const auto c = stumpff(alpha * s * s);
        return q * s * c.c1 + kSunGm * s * s * s * c.c3;
    }
    const double a = q / (1.0 - e);
    const double root = std::sqrt(kSunGm * std::abs(a));
    if (e < 1.0) {
        const double anomaly = std::atan2(sigma / root, 1.0 - r / a);
        return (anomaly - sigma / root) * std::sqrt(a * a * a / kSunGm);
    }
    const double anomaly = std::asinh(sigma / (root * e));
    return (sigma / root - anomaly) * std::sqrt(-a * a * a / kSunGm);
}

} // namespace

Elements elementsOf(const StateVector& state, const Tdb& epoch) {
    const Vec3 x = icrsToEcliptic(state.position);
    const Vec3 v = icrsToEcliptic(state.velocity);
    const double r = norm(x);
    const Vec3 momentum = cross(x, v);
    const double h2 = dot(momentum, momentum);
    const double h = std::sqrt(h2);
    // Eccentricity vector, towards perihelion.
    const Vec3 towards = (1.0 / kSunGm) * cross(v, momentum) - (1.0 / r) * x;
    Elements e;
    e.epoch = epoch;
    e.eccentricity = norm(towards);
    e.perihelionAu = h2 / kSunGm / (1.0 + e.eccentricity);
    e.inclination = Angle::radians(std::atan2(std::hypot(momentum[0], momentum[1]), momentum[2]));
    const bool level = std::hypot(momentum[0], momentum[1]) < 1e-14 * h;
    const double node = level ? 0.0 : std::atan2(momentum[0], -momentum[1]);
    e.node = normalised(Angle::radians(node));
    const Vec3 nodeAxis{std::cos(node), std::sin(node), 0.0};
    const Vec3 across = (1.0 / h) * cross(momentum, nodeAxis);
    const bool circular = e.eccentricity < 1e-13;
    const double argument =
        circular ? 0.0 : std::atan2(dot(towards, across), dot(towards, nodeAxis));
    e.argument = normalised(Angle::radians(argument));
    double days = 0.0;
    if (circular) {
        const double along = std::atan2(dot(x, across), dot(x, nodeAxis));
        days = along * std::sqrt(r * r * r / kSunGm);
    } else {
        days = daysSincePerihelion(e.perihelionAu, e.eccentricity, r, dot(x, v) / r);
    }
    e.perihelionTime = Tdb::julian(epoch.day(), epoch.fraction() - days);
    return e;
}

} // namespace pathmark::orbit
