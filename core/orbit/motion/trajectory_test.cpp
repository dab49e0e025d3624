#include "core/orbit/motion/trajectory.h"

#include "core/orbit/motion/kepler.h"
#include "tests/support/other_integrator.h"
#include "tests/support/shipped_planets.h"

#include <gtest/gtest.h>

#include <cmath>

namespace pathmark::orbit {
namespace {

Elements conic(double q, double e, double inclination = 11.0) {
    Elements b;
    b.name = "2031 AB1";
    b.epoch = Tdb::julian(2463000.5);
    b.perihelionAu = q;
    b.eccentricity = e;
    b.inclination = Angle::degrees(inclination);
    b.node = Angle::degrees(77.0);
    b.argument = Angle::degrees(200.0);
    b.perihelionTime = Tdb::julian(2463040.5);
    return b;
}

/// Largest angle between both methods' places as seen from the Earth, arcsec.
double worstAngle(const Planets& planets,
                  const Elements& elements,
                  const std::vector<double>& days,
                  const Trajectory& trajectory) {
    const auto other = test_support::integrateOtherwise(stateOf(elements),
                                                        elements.epoch,
                                                        planets,
                                                        elements.outgassing.value_or(Outgassing{}),
                                                        days);
    double worst = 0.0;
    for (std::size_t i = 0; i < days.size(); ++i) {
        const Tdb time = elements.epoch.plusSeconds(days[i] * kSecondsPerDay);
        const Vec3 earth = planets.earth(time)->position;
        const Vec3 a = trajectory.barycentric(time).position - earth;
        const Vec3 b = other[i].position - earth;
        worst = std::max(worst, std::atan2(norm(cross(a, b)), dot(a, b)) / kRadiansPerArcsec);
    }
    return worst;
}

std::vector<double> everyFiveDays(double until) {
    std::vector<double> days;
    for (double d = 5.0; d <= std::abs(until); d += 5.0) {
        days.push_back(std::copysign(d, until));
    }
    return days;
}

/// Truth: another method of another library with its own force (tests/support/other_integrator.h), through a
/// perihelion at 0.6 au.
TEST(TrajectoryTest, ACometNearTheParabolaAgreesWithAnotherMethod) {
    const Planets planets = test_support::shippedPlanets();
    Elements comet = conic(0.6, 0.9995, 120.0);
    comet.outgassing = Outgassing{1.2e-8, -4.0e-9, 2.0e-9};
    for (const double until : {120.0, -120.0}) {
        const Tdb end = comet.epoch.plusSeconds(until * kSecondsPerDay);
        const auto trajectory = Trajectory::make(
            comet, planets, until < 0.0 ? end : comet.epoch, until < 0.0 ? comet.epoch : end);
        ASSERT_TRUE(trajectory) << trajectory.error().detail;
        EXPECT_LT(worstAngle(planets, comet, everyFiveDays(until), *trajectory), 0.002);
    }
}

/// Truth: as above. The body passes the Earth at 0.01 au, 30 days after its epoch.
TEST(TrajectoryTest, AFlybyAgreesWithAnotherMethod) {
    const Planets planets = test_support::shippedPlanets();
    const Tdb meeting = Tdb::julian(2463030.5);
    const auto earth = planets.earth(meeting);
    const auto sun = planets.sun(meeting);
    StateVector state;
    state.position = earth->position - sun->position + Vec3{0.006, 0.0, 0.008};
    state.velocity = earth->velocity - sun->velocity + Vec3{0.0, 0.006, 0.0};
    const Tdb epoch = Tdb::julian(2463000.5);
    const Forces forces(planets, "", std::nullopt);
    const auto back = Trajectory::make(state, meeting, forces, epoch, meeting);
    ASSERT_TRUE(back);
    StateVector start = back->barycentric(epoch);
    const auto sunThen = planets.sun(epoch);
    start.position = start.position - sunThen->position;
    start.velocity = start.velocity - sunThen->velocity;
    Elements body = elementsOf(start, epoch);
    const auto trajectory =
        Trajectory::make(body, planets, epoch, epoch.plusSeconds(62.0 * kSecondsPerDay));
    ASSERT_TRUE(trajectory);
    EXPECT_NEAR(trajectory->nearestToEarthAu(), 0.01, 0.001);
    EXPECT_LT(worstAngle(planets, body, everyFiveDays(60.0), *trajectory), 0.005);
}

/// Truth: differences of whole trajectories, each started a little aside.
TEST(TrajectoryTest, VariationsAreTheDifferencesOfTrajectories) {
    const Planets planets = test_support::shippedPlanets();
    Elements body = conic(0.9, 0.6);
    const Outgassing push{2e-8, 1e-8, -1e-8};
    const StateVector start = stateOf(body);
    const Tdb end = body.epoch.plusSeconds(150.0 * kSecondsPerDay);
    const auto run = [&](const StateVector& state, const Outgassing& a) {
        return Trajectory::make(state,
                                body.epoch,
                                Forces(planets, "", a),
                                body.epoch,
                                end,
                                {.variations = true, .pushes = true})
            .value();
    };
    const Variation variation = run(start, push).variation(end);
    for (std::size_t column = 0; column < 9; ++column) {
        const double size = column < 3 ? 1e-6 : column < 6 ? 1e-8 : 1e-10;
        StateVector plus = start;
        StateVector minus = start;
        Outgassing more = push;
        Outgassing less = push;
        double* up[] = {&plus.position[0],
                        &plus.position[1],
                        &plus.position[2],
                        &plus.velocity[0],
                        &plus.velocity[1],
                        &plus.velocity[2],
                        &more.radial,
                        &more.transverse,
                        &more.normal};
        double* down[] = {&minus.position[0],
                          &minus.position[1],
                          &minus.position[2],
                          &minus.velocity[0],
                          &minus.velocity[1],
                          &minus.velocity[2],
                          &less.radial,
                          &less.transverse,
                          &less.normal};
        *up[column] += size;
        *down[column] -= size;
        const StateVector a = run(plus, more).barycentric(end);
        const StateVector b = run(minus, less).barycentric(end);
        for (std::size_t row = 0; row < 6; ++row) {
            const double difference = row < 3 ? a.position[row] - b.position[row]
                                              : a.velocity[row - 3] - b.velocity[row - 3];
            const double slope = difference / (2.0 * size);
            // Relativity is left out of the variations (1e-8), differences are good to 1e-7.
            const double scale = column < 3 ? 1.0 : column < 6 ? 100.0 : 1e4;
            EXPECT_NEAR(variation.matrix[row][column], slope, 3e-6 * scale) << row << " " << column;
        }
    }
}

TEST(TrajectoryTest, ABodyThatMeetsTheSunIsSaid) {
    const Planets planets = test_support::shippedPlanets();
    const Elements doomed = conic(0.002, 0.999);
    const auto trajectory = Trajectory::make(
        doomed, planets, doomed.epoch, doomed.epoch.plusSeconds(60.0 * kSecondsPerDay));
    ASSERT_FALSE(trajectory);
    EXPECT_EQ(trajectory.error().id, ErrorId::OrbitCollision);
    EXPECT_NE(trajectory.error().detail.find("the Sun"), std::string::npos)
        << trajectory.error().detail;
    EXPECT_EQ(trajectory.error().subject, "2031 AB1");
}

TEST(TrajectoryTest, DatesOutsideTheKernelsNameWhatTheyCover) {
    const Planets planets = test_support::shippedPlanets();
    const Elements body = conic(2.1, 0.1);
    const auto trajectory =
        Trajectory::make(body, planets, body.epoch, body.epoch.plusSeconds(1.1e9));
    ASSERT_FALSE(trajectory);
    EXPECT_EQ(trajectory.error().id, ErrorId::OrbitOutsideEphemeris);
    EXPECT_NE(trajectory.error().detail.find("1994-12-31 to 2055-01-05"), std::string::npos)
        << trajectory.error().detail;
}

struct Conic {
    double q, e, inclination;
};

class ElementsOfTest : public testing::TestWithParam<Conic> {};

/// Truth: there and back. The state must come back, whatever elements stand for it.
TEST_P(ElementsOfTest, GivesTheStateBack) {
    const Conic c = GetParam();
    for (const double days : {-900.0, -40.0, -0.5, 0.0, 3.0, 170.0, 2500.0}) {
        Elements e = conic(c.q, c.e, c.inclination);
        e.epoch = e.perihelionTime.plusSeconds(days * kSecondsPerDay);
        const StateVector state = stateOf(e);
        const Elements again = elementsOf(state, e.epoch);
        EXPECT_NEAR(again.perihelionAu, c.q, 1e-11 * std::max(1.0, norm(state.position)));
        EXPECT_NEAR(again.eccentricity, c.e, 1e-11 * std::max(1.0, norm(state.position)));
        const StateVector back = stateOf(again);
        EXPECT_LT(norm(back.position - state.position), 2e-11 * norm(state.position)) << days;
        EXPECT_LT(norm(back.velocity - state.velocity), 2e-11 * norm(state.velocity)) << days;
    }
}

INSTANTIATE_TEST_SUITE_P(Conics,
                         ElementsOfTest,
                         testing::Values(Conic{1.0, 0.0, 11.0},
                                         Conic{2.1, 0.1, 0.0},
                                         Conic{2.1, 0.1, 180.0},
                                         Conic{0.3, 0.97, 90.0},
                                         Conic{0.6, 0.9995, 120.0},
                                         Conic{0.005, 0.9999, 60.0},
                                         Conic{0.8, 1.0, 30.0},
                                         Conic{0.8, 1.0000001, 30.0},
                                         Conic{0.25, 3.3, 122.0}));

} // namespace
} // namespace pathmark::orbit
