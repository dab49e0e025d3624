#include "core/identify/coarse_kernels.h"

#include "core/base/clones.h"

#include <cmath>
#include <numbers>

namespace pathmark::identify {
namespace {

constexpr double kTurn = 2.0 * std::numbers::pi;

struct SinCos {
    double s, c;
};

/// Sine and cosine of |x| <= 4, to 1e-9: by quadrants, Taylor sums on |r| <= pi / 4; no branches.
inline __attribute__((always_inline)) SinCos sinCos(double x) {
    const double k = std::nearbyint(x * (2.0 / std::numbers::pi));
    const double r = x - k * (0.5 * std::numbers::pi);
    const double r2 = r * r;
    const double s =
        r * (1.0 - r2 / 6.0 * (1.0 - r2 / 20.0 * (1.0 - r2 / 42.0 * (1.0 - r2 / 72.0))));
    const double c =
        1.0 -
        r2 / 2.0 * (1.0 - r2 / 12.0 * (1.0 - r2 / 30.0 * (1.0 - r2 / 56.0 * (1.0 - r2 / 90.0))));
    // k = -3 ... 3: odd quadrants swap, and the signs follow.
    const double odd = k - 2.0 * std::nearbyint(0.5 * k - 0.25);                       // 0 or 1
    const double half = 0.5 * (k - odd);                                               // whole
    const double sign = 1.0 - 2.0 * std::abs(half - 2.0 * std::nearbyint(0.5 * half)); // +1 or -1
    const bool swapped = odd > 0.5;
    return {sign * (swapped ? c : s), sign * (swapped ? -s : c)};
}

/// Eccentric anomaly of a mean anomaly, both in [-pi, pi].
inline __attribute__((always_inline)) SinCos eccentricAnomaly(double mean, double e) {
    double anomaly = mean + std::copysign(0.85 * e, mean);
    SinCos t{};
#pragma GCC unroll 5 // the loop around can only be made of vectors without loops inside
    for (int i = 0; i < 5; ++i) {
        t = sinCos(anomaly);
        const double f = anomaly - e * t.s - mean;
        const double slope = 1.0 - e * t.c;
        anomaly -= f / (slope - 0.5 * f * e * t.s / slope);
    }
    return sinCos(anomaly);
}

inline __attribute__((always_inline)) double meanAnomaly(double motion, double days) {
    const double turns = motion * days / kTurn;
    return kTurn * (turns - std::nearbyint(turns));
}

} // namespace

PATHMARK_CLONES
void coarseDirections(const CoarseInput& in,
                      const CoarseOutput& out,
                      std::size_t from,
                      std::size_t to) {
    constexpr double lightDays = 499.004783836156 / 86400.0; // of an au
    const CoarseInput v = in;
    const CoarseOutput o = out;
    for (std::size_t i = from; i < to; ++i) {
        const double n = v.motion[i];
        const double e = v.eccentricity[i];
        const SinCos a = eccentricAnomaly(meanAnomaly(n, v.day - v.perihelionDay[i]), e);
        const double rate = n / (1.0 - e * a.c);
        const double along = a.c - e;
        double d[3];
        double u[3];
#pragma GCC unroll 3
        for (int k = 0; k < 3; ++k) {
            d[k] = v.p[k][i] * along + v.q[k][i] * a.s - v.place[k];
            u[k] = rate * (v.q[k][i] * a.c - v.p[k][i] * a.s);
        }
        const double light = lightDays * std::sqrt(d[0] * d[0] + d[1] * d[1] + d[2] * d[2]);
        double square = 0.0;
        double speed = 0.0;
#pragma GCC unroll 3
        for (int k = 0; k < 3; ++k) {
            d[k] -= light * u[k];
            const double relative = u[k] - v.velocity[k];
            square += d[k] * d[k];
            speed += relative * relative;
        }
        const double distance = std::sqrt(square);
        const double inverse = 1.0 / distance;
        const bool quick = n > 0.0;
        o.x[i] = quick ? static_cast<float>(d[0] * inverse) : o.x[i];
        o.y[i] = quick ? static_cast<float>(d[1] * inverse) : o.y[i];
        o.z[i] = quick ? static_cast<float>(d[2] * inverse) : o.z[i];
        o.distance[i] = quick ? static_cast<float>(distance) : o.distance[i];
        o.radiansPerDay[i] =
            quick ? static_cast<float>(std::sqrt(speed) * inverse) : o.radiansPerDay[i];
    }
}

PATHMARK_CLONES
void coarsePath(double perihelionDay,
                double motion,
                double eccentricity,
                const double p[3],
                const double q[3],
                const double* days,
                std::size_t count,
                double* x,
                double* y,
                double* z) {
    const double p0 = p[0];
    const double p1 = p[1];
    const double p2 = p[2];
    const double q0 = q[0];
    const double q1 = q[1];
    const double q2 = q[2];
    for (std::size_t i = 0; i < count; ++i) {
        const SinCos a =
            eccentricAnomaly(meanAnomaly(motion, days[i] - perihelionDay), eccentricity);
        const double along = a.c - eccentricity;
        x[i] = p0 * along + q0 * a.s;
        y[i] = p1 * along + q1 * a.s;
        z[i] = p2 * along + q2 * a.s;
    }
}

} // namespace pathmark::identify
