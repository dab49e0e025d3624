#include "core/orbit/determine/determine.h"

#include "core/orbit/determine/two_place_orbit.h"
#include "core/orbit/motion/kepler.h"
#include "tests/support/observed_bodies.h"
#include "tests/support/shipped_planets.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <limits>

namespace pathmark::orbit {
namespace {

/// Truth: the closed-form motion from elements; the state's own advance must agree, for every conic and both ways.
TEST(KeplerStateTest, AdvancesAsTheElementsDo) {
    for (const double e : {0.0, 0.3, 0.9, 0.9999, 1.0, 1.0001, 2.5}) {
        Elements body;
        body.perihelionAu = 0.7;
        body.eccentricity = e;
        body.inclination = Angle::degrees(20.0);
        body.node = Angle::degrees(40.0);
        body.argument = Angle::degrees(300.0);
        body.perihelionTime = Tdb::julian(2463000.5);
        for (const double from : {-400.0, -3.0, 0.0, 77.0}) {
            for (const double by : {-250.0, -1.0, 0.0, 0.3, 600.0}) {
                const auto start = propagateTwoBody(body, Tdb::julian(2463000.5, from));
                const auto truth = propagateTwoBody(body, Tdb::julian(2463000.5, from + by));
                const auto own = propagateTwoBody(start, by);
                EXPECT_LT(norm(own.position - truth.position), 1e-11 * norm(truth.position))
                    << e << " " << from << " " << by;
                EXPECT_LT(norm(own.velocity - truth.velocity), 1e-11 * norm(truth.velocity));
            }
        }
    }
}

TEST(KeplerStateTest, WhatHasNoValueComesToAnEnd) {
    const double infinite = std::numeric_limits<double>::infinity();
    const StateVector state{{1.0, 0.0, 0.0}, {0.0, 0.017, 0.0}};
    EXPECT_FALSE(std::isfinite(norm(propagateTwoBody(state, infinite).position)));
    const StateVector wild{{1.0, 0.0, 0.0}, {infinite, 0.017, 0.0}};
    EXPECT_FALSE(std::isfinite(norm(propagateTwoBody(wild, 3.0).position)));
    // Out at 0.2 au/day, a hyperbola of e above 130: the Sun's pull is nothing to it.
    const StateVector fast{{1.0, 0.0, 0.0}, {0.2, 0.01, 0.0}};
    EXPECT_NEAR(propagateTwoBody(fast, 100.0).position[0], 21.0, 0.2);
}

test_support::ObservedBody draw(unsigned seed, double arcDays, double noise) {
    std::mt19937 random(seed);
    static const Planets planets = test_support::shippedPlanets();
    return test_support::drawBody(
        random, planets, {arcDays, arcDays * 1.001, noise, noise * 1.001});
}

/// Truth: the drawn orbit itself at its true distances.
TEST(TwoPlaceOrbitTest, GivesTheOrbitBackFromTrueDistances) {
    const Planets planets = test_support::shippedPlanets();
    for (unsigned seed = 1; seed <= 10; ++seed) {
        const auto body = draw(seed, 20.0, 1e-6);
        const auto list = makeSightings(body.observations, planets, test_support::drawnSites());
        const TwoPlaceOrbit orbit(list.sightings);
        const auto distanceAt = [&](const Sighting& s) {
            const auto t = Trajectory::make(body.state,
                                            body.epoch,
                                            Forces(planets, "", std::nullopt),
                                            s.observer.tdb,
                                            s.observer.tdb);
            return norm(sightOf(*t, s.observer).fromObserver);
        };
        const double first = distanceAt(list.sightings.front());
        const double last = distanceAt(list.sightings.back());
        const auto state = orbit.through(first, last);
        ASSERT_TRUE(state) << seed;
        // Two bodies against all that pulls, over 20 days: 1e-4 of the speed, more near a planet.
        const auto sun = planets.sun(orbit.emission(first));
        const auto truth = Trajectory::make(body.state,
                                            body.epoch,
                                            Forces(planets, "", std::nullopt),
                                            orbit.emission(first),
                                            orbit.emission(first));
        const auto there = truth->barycentric(orbit.emission(first));
        EXPECT_LT(norm(state->velocity - (there.velocity - sun->velocity)), 2e-4 * 0.017) << seed;
    }
}

class DetermineSeedTest : public testing::TestWithParam<unsigned> {};

/// Truth: the drawn orbit, followed by another integrator of another library, with stated normal noise. 34 is the 1e-5
/// point of chi-square with six degrees of freedom.
TEST_P(DetermineSeedTest, FindsTheOrbitWithinItsOwnUncertainty) {
    const Planets planets = test_support::shippedPlanets();
    const auto body = draw(GetParam(), 40.0, 0.3);
    const auto list = makeSightings(body.observations, planets, test_support::drawnSites());
    const auto fit = determineOrbit(list.sightings, planets, "2031 AB1");
    ASSERT_TRUE(fit) << fit.error().detail;
    EXPECT_GT(fit->orbit.reducedChiSquare(), 0.3);
    EXPECT_LT(fit->orbit.reducedChiSquare(), 1.9);
    const auto truth =
        residualsOf(body.state, body.epoch, list.sightings, Forces(planets, "", std::nullopt));
    double trueChi = 0.0;
    for (std::size_t i = 0; i < truth->size(); ++i) {
        trueChi += fit->orbit.residuals[i].used ? (*truth)[i].chiSquare : 0.0;
    }
    EXPECT_GT(trueChi - fit->orbit.chiSquare, -0.1);
    EXPECT_LT(trueChi - fit->orbit.chiSquare, 34.0);
    EXPECT_LT(fit->weakness, 0.1);
    // The elements and the state are the same orbit.
    EXPECT_LT(norm(stateOf(fit->elements).position - fit->orbit.state.position), 1e-10);
}

INSTANTIATE_TEST_SUITE_P(Seeds, DetermineSeedTest, testing::Range(1U, 13U));

/// Truth: the blunder that was made: one place moved by 20".
TEST(DetermineTest, OneGrossBlunderIsFoundAndLeftOut) {
    const Planets planets = test_support::shippedPlanets();
    for (unsigned seed = 20; seed < 26; ++seed) {
        auto body = draw(seed, 30.0, 0.3);
        const std::size_t wrong = body.observations.size() / 3;
        body.observations[wrong].sky =
            fromTangentPlane(body.observations[wrong].sky, {20.0 * kRadiansPerArcsec, 0.0});
        // Out of order, too.
        std::reverse(body.observations.begin(), body.observations.end());
        const auto list = makeSightings(body.observations, planets, test_support::drawnSites());
        const auto fit = determineOrbit(list.sightings, planets, "2031 AB1");
        ASSERT_TRUE(fit) << fit.error().detail;
        const std::size_t source = body.observations.size() - 1 - wrong;
        for (std::size_t i = 0; i < list.sightings.size(); ++i) {
            if (list.sightings[i].source == source) {
                EXPECT_FALSE(fit->orbit.residuals[i].used) << seed;
                EXPECT_NEAR(fit->orbit.residuals[i].xiArcsec, 20.0, 2.0);
            }
        }
        EXPECT_GE(fit->orbit.used, static_cast<int>(list.sightings.size()) - 2) << seed;
    }
}

TEST(DetermineTest, ImprovingAKnownOrbitEndsWhereAFitFromScratchDoes) {
    const Planets planets = test_support::shippedPlanets();
    const auto body = draw(31, 60.0, 0.2);
    const auto list = makeSightings(body.observations, planets, test_support::drawnSites());
    const auto scratch = determineOrbit(list.sightings, planets, "2031 AB1");
    ASSERT_TRUE(scratch);
    Elements aside = scratch->elements;
    aside.perihelionAu *= 1.0003;
    aside.node = aside.node + Angle::degrees(0.02);
    const auto improved = improveOrbit(aside, list.sightings, planets);
    ASSERT_TRUE(improved) << improved.error().detail;
    EXPECT_NEAR(improved->orbit.chiSquare, scratch->orbit.chiSquare, 0.02);
    // Without some of them: they keep a residual but have no part.
    std::vector<bool> use(list.sightings.size(), true);
    use.back() = false;
    const auto without = improveOrbit(aside, list.sightings, planets, {}, use);
    ASSERT_TRUE(without);
    EXPECT_FALSE(without->orbit.residuals.back().used);
    EXPECT_EQ(without->orbit.used, improved->orbit.used - 1);
    EXPECT_GT(without->orbit.residuals.back().chiSquare, 0.0);
}

/// Three nights of which two places are each bad beside the fit without the other: they would come and go for ever. Truth: the made-up orbit's
/// perihelion, 2.75 au.
TEST(DetermineTest, PlacesThatComeAndGoStay) {
    struct Seen {
        const char* time;
        double ra;
        double dec;
    };

    constexpr Seen seen[] = {{"2034-03-13T01:15:06.491Z", 177.7329764, 8.6153655},
                             {"2034-03-13T01:58:18.491Z", 177.7268958, 8.6181696},
                             {"2034-03-13T02:41:30.491Z", 177.7208913, 8.6207307},
                             {"2034-03-13T03:24:42.491Z", 177.7148472, 8.6233820},
                             {"2034-03-15T10:42:45.245Z", 177.2601723, 8.8255750},
                             {"2034-03-15T11:25:57.245Z", 177.2544558, 8.8282375},
                             {"2034-03-15T12:09:09.245Z", 177.2486478, 8.8307423},
                             {"2034-03-15T12:52:21.245Z", 177.2429058, 8.8334027},
                             {"2034-03-17T20:10:24.000Z", 176.7841914, 9.0298866},
                             {"2034-03-17T20:53:36.000Z", 176.7780125, 9.0323505},
                             {"2034-03-17T21:36:48.000Z", 176.7717848, 9.0348852},
                             {"2034-03-17T22:20:00.000Z", 176.7655855, 9.0374097}};
    frame::Site site;
    site.code = "Z96";
    site.longitude = Angle::degrees(23.4127);
    site.latitude = Angle::degrees(-31.2086);
    site.altitudeMetres = 1374.0;
    SiteCodes sites;
    sites.add(site, "Made-up hill");
    std::vector<Observation> observations;
    for (const Seen& one : seen) {
        Observation o;
        o.body = "Hid17";
        o.time = *parseUtc(one.time);
        o.sky = skyDegrees(one.ra, one.dec);
        o.station = "Z96";
        o.mode = "CCD";
        o.sigmaRaArcsec = o.sigmaDecArcsec = 0.1;
        observations.push_back(o);
    }
    const Planets planets = test_support::shippedPlanets();
    const auto list = makeSightings(observations, planets, sites);
    const auto fit = determineOrbit(list.sightings, planets, "Hid17");
    ASSERT_TRUE(fit) << fit.error().detail;
    EXPECT_EQ(fit->orbit.used, 12);
    EXPECT_NEAR(fit->elements.perihelionAu, 2.75, 0.1);
}

TEST(DetermineTest, TooFewPlacesAreSaid) {
    const Planets planets = test_support::shippedPlanets();
    auto body = draw(3, 5.0, 0.3);
    body.observations.resize(2);
    const auto list = makeSightings(body.observations, planets, test_support::drawnSites());
    const auto fit = determineOrbit(list.sightings, planets, "2031 AB1");
    ASSERT_FALSE(fit);
    EXPECT_EQ(fit.error().id, ErrorId::OrbitTooFewObservations);
    EXPECT_EQ(fit.error().subject, "2031 AB1");
}

/// Truth: the rules themselves, by hand.
TEST(SightingTest, WeightsFollowWhatIsStatedAndTheRules) {
    const Planets planets = test_support::shippedPlanets();
    Observation o;
    o.body = "X";
    o.time = *parseUtc("2031-05-05T21:00:00");
    o.sky = skyDegrees(180.0, 1.0);
    o.station = "Z99";
    Observation stated = o;
    stated.sigmaRaArcsec = 0.2;
    stated.sigmaDecArcsec = 0.001; // less than anybody can know
    Observation gaia = o;
    gaia.starCatalogue = "Gaia3";
    gaia.magnitude = 22.0;
    Observation plate = o;
    plate.mode = "PHO";
    Observation stranger = o;
    stranger.station = "Q11";
    const auto list = makeSightings(
        std::vector{stated, gaia, plate, stranger}, planets, test_support::drawnSites());
    ASSERT_EQ(list.sightings.size(), 3U);
    ASSERT_EQ(list.leftOut.size(), 1U);
    EXPECT_EQ(list.leftOut[0].id, ErrorId::OrbitUnknownSite);
    EXPECT_NEAR(list.sightings[0].sigmaXi / kRadiansPerArcsec, 0.2, 1e-9);
    EXPECT_NEAR(list.sightings[0].sigmaEta / kRadiansPerArcsec, 0.02, 1e-9);
    EXPECT_NEAR(list.sightings[1].sigmaXi / kRadiansPerArcsec, 0.6, 1e-9);
    EXPECT_NEAR(list.sightings[2].sigmaXi / kRadiansPerArcsec, 2.5, 1e-9);
    // Sixteen of one night count as four.
    const std::vector<Observation> crowd(16, gaia);
    const auto many = makeSightings(crowd, planets, test_support::drawnSites());
    EXPECT_NEAR(many.sightings[0].sigmaXi / kRadiansPerArcsec, 1.2, 1e-9);
}

TEST(DetermineTest, AStopEndsItWithoutAnOrbit) {
    const Planets planets = test_support::shippedPlanets();
    const auto body = draw(3, 40.0, 0.3);
    const auto list = makeSightings(body.observations, planets, test_support::drawnSites());
    std::stop_source stop;
    stop.request_stop();
    CorrectionOptions options;
    options.stop = stop.get_token();
    const auto fit = determineOrbit(list.sightings, planets, "X", options);
    ASSERT_FALSE(fit);
    EXPECT_EQ(fit.error().id, ErrorId::BaseCancelled);
}

class WrongValleyTest : public testing::TestWithParam<unsigned> {};

/// Truth: the drawn orbit itself: nothing lies below the minimum of chi-square but the noise. These bodies (short arcs, comets,
/// near-Earth ones) ended in another valley, or nowhere, before orbits of the cloud were starts too.
TEST_P(WrongValleyTest, IsNotTheEndOfTheSearch) {
    const Planets planets = test_support::shippedPlanets();
    std::mt19937 random(GetParam());
    const auto body = test_support::drawBody(random, planets, {});
    const auto list = makeSightings(body.observations, planets, test_support::drawnSites());
    const auto fit = determineOrbit(list.sightings, planets, "2031 AB1", {.reject = false});
    ASSERT_TRUE(fit) << fit.error().detail;
    const auto truth =
        residualsOf(body.state, body.epoch, list.sightings, Forces(planets, "", std::nullopt));
    ASSERT_TRUE(truth);
    double trueChi = 0.0;
    for (const Residual& r : *truth) {
        trueChi += r.chiSquare;
    }
    EXPECT_LT(fit->orbit.chiSquare, trueChi + 0.1);
}

INSTANTIATE_TEST_SUITE_P(
    Bodies,
    WrongValleyTest,
    testing::Values(100254U, 100176U, 200119U, 400131U, 400207U, 600490U, 2100272U, 2400524U));

} // namespace
} // namespace pathmark::orbit
