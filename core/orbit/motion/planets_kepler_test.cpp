#include "core/orbit/motion/kepler.h"
#include "core/orbit/motion/planets.h"
#include "tests/support/shipped_planets.h"

#include <erfa.h>
#include <gtest/gtest.h>

#include <cmath>

namespace pathmark::orbit {
namespace {

/// Truth: ERFA's analytic Earth (VSOP2000 fit), good to 11 km = 7.4e-8 au, and its velocity to 5 mm/s = 2.9e-9 au/day.
TEST(PlanetsTest, TheEarthIsWhereErfaHasIt) {
    const Planets file = test_support::shippedPlanets();
    for (double day = 2450000.5; day < 2469000.0; day += 777.77) {
        const auto earth = file.earth(Tdb::julian(day));
        ASSERT_TRUE(earth);
        double helio[2][3];
        double bary[2][3];
        eraEpv00(day, 0.0, helio, bary);
        const auto sun = file.sun(Tdb::julian(day));
        for (std::size_t i = 0; i < 3; ++i) {
            EXPECT_NEAR(earth->position[i] - sun->position[i], helio[0][i], 1.5e-7);
            EXPECT_NEAR(earth->velocity[i], bary[1][i], 2e-8);
        }
    }
}

TEST(PlanetsTest, ADateOutsideIsSaid) {
    const auto earth = test_support::shippedPlanets().earth(Tdb::julian(2400000.5));
    ASSERT_FALSE(earth);
    EXPECT_EQ(earth.error().id, ErrorId::OrbitOutsideEphemeris);
}

Elements body(double q, double e) {
    Elements b;
    b.perihelionAu = q;
    b.eccentricity = e;
    b.inclination = Angle::degrees(11.0);
    b.node = Angle::degrees(77.0);
    b.argument = Angle::degrees(200.0);
    b.perihelionTime = Tdb::julian(2464000.0);
    return b;
}

class KeplerTest : public testing::TestWithParam<double> {};

/// Truth: energy, angular momentum and the conic's own equation, which no way of solving it can cheat.
TEST_P(KeplerTest, KeepsTheIntegralsOfMotion) {
    const double e = GetParam();
    const double q = 0.9;
    const Elements b = body(q, e);
    for (double days = -3000.0; days <= 3000.0; days += 37.3) {
        const auto s = propagateTwoBody(b, Tdb::julian(2464000.0 + days));
        const double r = norm(s.position);
        const double energy = 0.5 * dot(s.velocity, s.velocity) - kSunGm / r;
        EXPECT_NEAR(energy, -kSunGm * (1.0 - e) / (2.0 * q), 1e-13);
        EXPECT_NEAR(norm(cross(s.position, s.velocity)), std::sqrt(kSunGm * q * (1.0 + e)), 1e-13);
        EXPECT_GE(r, q * (1.0 - 1e-12));
    }
    EXPECT_NEAR(norm(propagateTwoBody(b, Tdb::julian(2464000.0)).position), q, 1e-13);
}

INSTANTIATE_TEST_SUITE_P(Conics,
                         KeplerTest,
                         testing::Values(0.0, 0.1, 0.7, 0.97, 0.99999, 1.0, 1.00001, 1.3));

/// Truth: Barker's equation has a closed solution (Meeus 1998, ch. 34): e = 1 after 60 days.
TEST(KeplerTest, AParabolaAgreesWithBarker) {
    const double q = 0.8;
    const double days = 60.0;
    const double w = 3.0 * 0.01720209895 / std::sqrt(2.0) * days / (q * std::sqrt(q));
    const double g = 0.5 * w;
    const double y = std::cbrt(g + std::sqrt(g * g + 1.0));
    const double s = y - 1.0 / y;
    const double r = q * (1.0 + s * s);
    EXPECT_NEAR(norm(propagateTwoBody(body(q, 1.0), Tdb::julian(2464060.0)).position), r, 1e-12);
}

} // namespace
} // namespace pathmark::orbit
