#include "core/orbit/motion/kepler.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace pathmark::orbit {
namespace {

constexpr double kObliquity = 84381.448 * kRadiansPerArcsec;

} // namespace

Stumpff stumpff(double x) {
    // Reduced by halving until the series converges at once, then doubled back.
    int halvings = 0;
    if (!std::isfinite(x)) {
        return {x, x, x, x};
    }
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

namespace {

/// The start of a motion: distance, r . v, GM / a and perihelion distance.
struct Start {
    double r = 0.0;
    double rv = 0.0;
    double alpha = 0.0;
    double q = 0.0;
};

/// Lagrange's coefficients: place = f place0 + g velocity0, and the same dotted for the velocity.
struct Lagrange {
    double f = 1.0;
    double g = 0.0;
    double fDot = 0.0;
    double gDot = 1.0;
};

/// t = r s c1 + (r . v) s^2 c2 + GM s^3 c3 of (GM / a) s^2 is monotonic in s, its slope being the distance: Newton with
/// bisection as a net, 0 <= s <= t / q.
Lagrange lagrange(const Start& start, double dt) {
    const double sign = dt < 0.0 ? -1.0 : 1.0;
    const double t = std::abs(dt);
    const double rv = sign * start.rv;
    double low = 0.0;
    double high = t / start.q + 1e-12;
    double s = std::min({high, t / start.r, std::cbrt(6.0 * t / kSunGm)});
    Stumpff c{};
    for (int i = 0; i < 200; ++i) {
        c = stumpff(start.alpha * s * s);
        const double reached = start.r * s * c.c1 + rv * s * s * c.c2 + kSunGm * s * s * s * c.c3;
        const double slope = start.r * c.c0 + rv * s * c.c1 + kSunGm * s * s * c.c2;
        // What has no value because it overflowed is too far, too.
        (reached <= t ? low : high) = s;
        double next = s - (reached - t) / slope;
        if (!(next > low && next < high)) {
            next = 0.5 * (low + high);
        }
        const double step = std::abs(next - s);
        s = next;
        if (step <= 1e-15 * std::max(s, 1e-6)) {
            break;
        }
    }
    c = stumpff(start.alpha * s * s);
    const double distance = start.r * c.c0 + rv * s * c.c1 + kSunGm * s * s * c.c2;
    Lagrange l;
    l.f = 1.0 - kSunGm / start.r * s * s * c.c2;
    l.g = sign * (t - kSunGm * s * s * s * c.c3);
    l.fDot = -sign * kSunGm / (distance * start.r) * s * c.c1;
    l.gDot = 1.0 - kSunGm / distance * s * s * c.c2;
    return l;
}

/// Whole revolutions change nothing.
double withinPeriod(double days, double alpha) {
    if (alpha <= 0.0) {
        return days;
    }
    return std::remainder(days, 2.0 * std::numbers::pi * kSunGm * std::pow(alpha, -1.5));
}

} // namespace

StateVector propagateTwoBody(const Elements& elements, const Tdb& time) {
    const double q = elements.perihelionAu;
    const double e = elements.eccentricity;
    const Start start{q, 0.0, kSunGm * (1.0 - e) / q, q};
    const double days = time.secondsSince(elements.perihelionTime) / kSecondsPerDay;
    const Lagrange l = lagrange(start, withinPeriod(days, start.alpha));
    // From perihelion: q along P, sqrt(GM (1 + e) / q) along Q.
    const double speed = std::sqrt(kSunGm * (1.0 + e) / q);
    const auto [p, w] = perifocalAxes(elements);
    return {l.f * q * p + l.g * speed * w, l.fDot * q * p + l.gDot * speed * w};
}

StateVector propagateTwoBody(const StateVector& state, double days) {
    Start start;
    start.r = norm(state.position);
    start.rv = dot(state.position, state.velocity);
    const double v2 = dot(state.velocity, state.velocity);
    start.alpha = 2.0 * kSunGm / start.r - v2;
    const Vec3 momentum = cross(state.position, state.velocity);
    const double h2 = dot(momentum, momentum);
    const double e2 = 1.0 - start.alpha * h2 / (kSunGm * kSunGm);
    start.q = std::max(h2 / kSunGm / (1.0 + std::sqrt(std::max(0.0, e2))), 1e-9);
    const Lagrange l = lagrange(start, withinPeriod(days, start.alpha));
    return {l.f * state.position + l.g * state.velocity,
            l.fDot * state.position + l.gDot * state.velocity};
}

} // namespace pathmark::orbit
