#include "core/orbit/motion/kepler.h"

#include <cmath>

namespace pathmark::orbit {
namespace {

constexpr double kObliquity = 84381.448 * kRadiansPerArcsec;

} // namespace

Stumpff stumpff(double x) {
    // Reduced by halving until the series converges at once, then doubled back.
    int halvings = 0;
    while (std::abs(x) > 0.1) {
        x *= 0.25;
        ++halvings;
    }
    Stumpff c{};
    c.c3 = (1.0 - x * (1.0 - x * (1.0 - x * (1.0 - x * (1.0 - x / 156.0) / 110.0) / 72.0) / 42.0) /
                      20.0) /
           6.0;
    c.c2 = (1.0 -
            x * (1.0 - x * (1.0 - x * (1.0 - x * (1.0 - x / 132.0) / 90.0) / 56.0) / 30.0) / 12.0) /
           2.0;
    c.c1 = 1.0 - x * c.c3;
    c.c0 = 1.0 - x * c.c2;
    for (; halvings > 0; --halvings) {
        c.c3 = 0.25 * (c.c2 + c.c0 * c.c3);
        c.c2 = 0.5 * c.c1 * c.c1;
        c.c1 = c.c0 * c.c1;
        c.c0 = 2.0 * c.c0 * c.c0 - 1.0;
    }
    return c;
}

Vec3 icrsToEcliptic(const Vec3& v) {
    const double c = std::cos(kObliquity);
    const double s = std::sin(kObliquity);
    return {v[0], c * v[1] + s * v[2], c * v[2] - s * v[1]};
}

Vec3 eclipticToIcrs(const Vec3& v) {
    const double c = std::cos(kObliquity);
    const double s = std::sin(kObliquity);
    return {v[0], c * v[1] - s * v[2], s * v[1] + c * v[2]};
}

std::pair<Vec3, Vec3> perifocalAxes(const Elements& elements) {
    const double co = std::cos(elements.node.radians());
    const double so = std::sin(elements.node.radians());
    const double cw = std::cos(elements.argument.radians());
    const double sw = std::sin(elements.argument.radians());
    const double ci = std::cos(elements.inclination.radians());
    const double si = std::sin(elements.inclination.radians());
    const Vec3 p{cw * co - sw * so * ci, cw * so + sw * co * ci, sw * si};
    const Vec3 w{-sw * co - cw * so * ci, -sw * so + cw * co * ci, cw * si};
    return {eclipticToIcrs(p), eclipticToIcrs(w)};
}

StateVector propagateTwoBody(const Elements& elements, const Tdb& time) {
    const double q = elements.perihelionAu;
    const double e = elements.eccentricity;
    const double alpha = kSunGm * (1.0 - e) / q; // GM / a; negative for hyperbolas
    double dt = time.secondsSince(elements.perihelionTime) / kSecondsPerDay;
    if (alpha > 0.0) {
        const double period = 2.0 * std::numbers::pi * kSunGm * std::pow(alpha, -1.5);
        dt = std::remainder(dt, period);
    }
    // From perihelion: t = q s c1 + GM e ... = q s + GM s^3 c3(alpha s^2) with the radial velocity zero.
    // f(s) = q s c1 + GM s^3 c3 is monotonic in s; Newton with bisection as a net.
    double low = 0.0;
    double high = std::abs(dt) / q + 1e-12;
    double s = std::min(high, std::cbrt(6.0 * std::abs(dt) / (kSunGm)));
    Stumpff c{};
    for (int i = 0; i < 200; ++i) {
        c = stumpff(alpha * s * s);
        const double f = q * s * c.c1 + kSunGm * s * s * s * c.c3 - std::abs(dt);
        const double r = q * c.c0 + kSunGm * s * s * c.c2; // df/ds
        (f > 0.0 ? high : low) = s;
        double next = s - f / r;
        if (!(next > low && next < high)) {
            next = 0.5 * (low + high);
        }
        const double step = std::abs(next - s);
        s = next;
        if (step <= 1e-15 * std::max(s, 1e-6)) {
            break;
        }
    }
    c = stumpff(alpha * s * s);
    if (dt < 0.0) {
        s = -s;
    }
    // f and g functions from the state at perihelion: r0 = q along P, v0 = sqrt(GM (1+e)/q) along Q.
    const double r = q * c.c0 + kSunGm * s * s * c.c2;
    const double f = 1.0 - kSunGm / q * s * s * c.c2;
    const double g = dt - kSunGm * s * s * s * c.c3;
    const double fDot = -kSunGm / (r * q) * s * c.c1;
    const double gDot = 1.0 - kSunGm / r * s * s * c.c2;
    const double v0 = std::sqrt(kSunGm * (1.0 + e) / q);

    const auto [p, w] = perifocalAxes(elements);
    return {f * q * p + g * v0 * w, fDot * q * p + gDot * v0 * w};
}

} // namespace pathmark::orbit
