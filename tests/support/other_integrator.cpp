#include "tests/support/other_integrator.h"

#include <gsl/gsl_errno.h>
#include <gsl/gsl_odeiv2.h>
#include <gtest/gtest.h>

#include <cmath>

namespace pathmark::test_support {
namespace {

struct World {
    const orbit::Planets* planets;
    Tdb epoch;
    orbit::Outgassing push;
};

struct Mass {
    orbit::SpkBody body;
    double gm;
};

constexpr double kGmSun = 2.959122082855911e-4;

/// Ratios of the Sun's mass to each (IAU 2009 system and DE430), not the table that the program uses.
const std::vector<Mass>& masses() {
    using orbit::SpkBody;
    static const std::vector<Mass> all{{SpkBody::Mercury, kGmSun / 6023657.33},
                                       {SpkBody::Venus, kGmSun / 408523.7187},
                                       {SpkBody::Earth, kGmSun / 332946.0487},
                                       {SpkBody::Moon, kGmSun / 27068703.2},
                                       {SpkBody::Mars, kGmSun / 3098703.59},
                                       {SpkBody::Jupiter, kGmSun / 1047.348625},
                                       {SpkBody::Saturn, kGmSun / 3497.9018},
                                       {SpkBody::Uranus, kGmSun / 22902.98},
                                       {SpkBody::Neptune, kGmSun / 19412.259},
                                       {SpkBody::Pluto, kGmSun / 1.35836683e8}};
    return all;
}

/// d/dt of (r, v), heliocentric.
int derivative(double t, const double y[], double dydt[], void* parameters) {
    const auto& world = *static_cast<const World*>(parameters);
    const double seconds = orbit::secondsPastJ2000(world.epoch) + 86400.0 * t;
    orbit::Planets::State sun;
    if (!world.planets->find(orbit::SpkBody::Sun, seconds, sun)) {
        return GSL_EFAILED;
    }
    const double r = std::sqrt(y[0] * y[0] + y[1] * y[1] + y[2] * y[2]);
    const double v2 = y[3] * y[3] + y[4] * y[4] + y[5] * y[5];
    const double rv = y[0] * y[3] + y[1] * y[4] + y[2] * y[5];
    const double c2 = 173.1446326846693 * 173.1446326846693;
    double a[3];
    for (int i = 0; i < 3; ++i) {
        a[i] = -kGmSun * y[i] / (r * r * r) +
               kGmSun / (c2 * r * r * r) * ((4.0 * kGmSun / r - v2) * y[i] + 4.0 * rv * y[3 + i]);
    }
    for (const Mass& mass : masses()) {
        orbit::Planets::State state;
        if (!world.planets->find(mass.body, seconds, state)) {
            return GSL_EFAILED;
        }
        double p[3];
        double d[3];
        for (std::size_t i = 0; i < 3; ++i) {
            p[i] = state.position[i] - sun.position[i];
            d[i] = p[i] - y[i];
        }
        const double pp = std::sqrt(p[0] * p[0] + p[1] * p[1] + p[2] * p[2]);
        const double dd = std::sqrt(d[0] * d[0] + d[1] * d[1] + d[2] * d[2]);
        for (int i = 0; i < 3; ++i) {
            a[i] += mass.gm * (d[i] / (dd * dd * dd) - p[i] / (pp * pp * pp));
        }
    }
    // Marsden's law with the unit vectors by Gram and Schmidt rather than by cross products.
    const double x = r / 2.808;
    const double g =
        0.1112620426 * std::pow(x, -2.15) * std::pow(1.0 + std::pow(x, 5.093), -4.6142);
    const double vr = rv / r;
    const double vt = std::sqrt(std::max(1e-300, v2 - vr * vr));
    const double n[3] = {(y[1] * y[5] - y[2] * y[4]) / (r * vt),
                         (y[2] * y[3] - y[0] * y[5]) / (r * vt),
                         (y[0] * y[4] - y[1] * y[3]) / (r * vt)};
    for (int i = 0; i < 3; ++i) {
        const double radial = y[i] / r;
        const double transverse = (y[3 + i] - vr * radial) / vt;
        dydt[i] = y[3 + i];
        dydt[3 + i] = a[i] + g * (world.push.radial * radial + world.push.transverse * transverse +
                                  world.push.normal * n[i]);
    }
    return GSL_SUCCESS;
}

} // namespace

std::vector<orbit::StateVector> integrateOtherwise(const orbit::StateVector& heliocentric,
                                                   const Tdb& epoch,
                                                   const orbit::Planets& planets,
                                                   const orbit::Outgassing& push,
                                                   const std::vector<double>& days) {
    World world{&planets, epoch, push};
    gsl_odeiv2_system system{derivative, nullptr, 6, &world};
    const double step = days.front() < 0.0 ? -1e-3 : 1e-3;
    gsl_odeiv2_driver* driver =
        gsl_odeiv2_driver_alloc_y_new(&system, gsl_odeiv2_step_rk8pd, step, 1e-17, 1e-14);
    double y[6];
    for (std::size_t i = 0; i < 3; ++i) {
        y[i] = heliocentric.position[i];
        y[3 + i] = heliocentric.velocity[i];
    }
    double t = 0.0;
    std::vector<orbit::StateVector> states;
    for (const double day : days) {
        EXPECT_EQ(gsl_odeiv2_driver_apply(driver, &t, day, y), GSL_SUCCESS);
        const auto sun = planets.sun(epoch.plusSeconds(86400.0 * day));
        EXPECT_TRUE(sun);
        orbit::StateVector state;
        for (std::size_t i = 0; i < 3; ++i) {
            state.position[i] = y[i] + sun->position[i];
            state.velocity[i] = y[3 + i] + sun->velocity[i];
        }
        states.push_back(state);
    }
    gsl_odeiv2_driver_free(driver);
    return states;
}

} // namespace pathmark::test_support
