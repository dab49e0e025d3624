#include "core/orbit/determine/bounds.h"
#include "core/orbit/motion/kepler.h"
#include "core/orbit/motion/trajectory.h"
#include "tests/support/observed_bodies.h"
#include "tests/support/shipped_planets.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <random>

namespace pathmark::orbit {
namespace {

/// A body of a forty-day arc; its last night stands for tonight.
class JudgeOrbitTest : public testing::Test {
  protected:
    JudgeOrbitTest() : planets(test_support::shippedPlanets()) {
        std::mt19937 random(7);
        body = test_support::drawBody(random, planets, {40.0, 40.1, 0.3, 0.301});
        given.body = "2031 AB1";
        given.observations = body.observations;
        const Utc last = given.observations.back().time;
        given.old = static_cast<std::size_t>(
            std::count_if(given.observations.begin(), given.observations.end(), [&](const auto& o) {
                return last.secondsSince(o.time) > 43200.0;
            }));
        given.switchedOff.assign(given.observations.size(), false);
    }

    void shiftTonight(double northArcsec) {
        for (std::size_t i = given.old; i < given.observations.size(); ++i) {
            auto& sky = given.observations[i].sky;
            sky = fromTangentPlane(sky, {0.0, northArcsec * kRadiansPerArcsec});
        }
    }

    Result<OrbitJudgement> judge() {
        return judgeOrbit(given, planets, test_support::drawnSites());
    }

    Planets planets;
    test_support::ObservedBody body;
    OrbitCase given;
};

/// Truth: the places were drawn from one orbit, so tonight's agree with the others within the errors of both.
TEST_F(JudgeOrbitTest, HonestPositionsAgreeWithTheOrbitWithoutThem) {
    const auto judgement = judge();
    ASSERT_TRUE(judgement) << judgement.error().detail;
    ASSERT_TRUE(judgement->fit && judgement->without);
    EXPECT_EQ(judgement->sightings.size(), given.observations.size());
    EXPECT_EQ(judgement->without->orbit.residuals.size(), given.old);
    EXPECT_LT(judgement->fit->orbit.reducedChiSquare(), 1.9);
    const auto bounds =
        boundsOf(*judgement->without, planets, judgement->sightings.back().observer);
    ASSERT_TRUE(bounds);
    const auto tonight = tonightOf(*judgement, given, planets);
    ASSERT_TRUE(tonight);
    EXPECT_EQ(tonight->count, static_cast<int>(given.observations.size() - given.old));
    EXPECT_TRUE(tonight->agrees());
    const auto& last = judgement->newAgainstOld.back();
    const double open = std::hypot(bounds->place.major.arcsec(), 0.3);
    EXPECT_LT(std::hypot(last.xiArcsec, last.etaArcsec), 4.5 * open);
}

/// Truth: 30" put into tonight's declinations.
TEST_F(JudgeOrbitTest, AWrongNightShowsAgainstTheOthers) {
    shiftTonight(30.0);
    const auto judgement = judge();
    ASSERT_TRUE(judgement) << judgement.error().detail;
    ASSERT_TRUE(judgement->without);
    const auto tonight = tonightOf(*judgement, given, planets);
    ASSERT_TRUE(tonight);
    // Weights are alike, so the weighted mean is the plain one; 0.7" is 4 sigma of the noise of three places.
    EXPECT_NEAR(tonight->decMean, 30.0, 4.5 * tonight->orbitDecArcsec + 0.7);
    EXPECT_FALSE(tonight->agrees());
}

TEST_F(JudgeOrbitTest, WhatIsSwitchedOffHasAResidualButNoPart) {
    auto& sky = given.observations[2].sky;
    sky = fromTangentPlane(sky, {20.0 * kRadiansPerArcsec, 0.0});
    given.switchedOff[2] = true;
    const auto judgement = judge();
    ASSERT_TRUE(judgement) << judgement.error().detail;
    const auto at =
        static_cast<std::size_t>(std::find_if(judgement->sightings.begin(),
                                              judgement->sightings.end(),
                                              [](const Sighting& s) { return s.source == 2; }) -
                                 judgement->sightings.begin());
    EXPECT_FALSE(judgement->residuals[at].used);
    EXPECT_NEAR(judgement->residuals[at].xiArcsec, 20.0, 1.5);
    EXPECT_EQ(judgement->fit->orbit.used, static_cast<int>(given.observations.size()) - 1);
}

/// A known orbit a degree off is no place to start from; the answer is found all the same.
TEST_F(JudgeOrbitTest, AUselessKnownOrbitIsLeftBehind) {
    const auto fresh = judge();
    ASSERT_TRUE(fresh);
    Elements wrong = fresh->fit->elements;
    wrong.node = Angle::degrees(wrong.node.degrees() + 77.0);
    wrong.perihelionAu *= 2.4;
    given.known = wrong;
    const auto again = judge();
    ASSERT_TRUE(again) << again.error().detail;
    EXPECT_NEAR(again->fit->elements.perihelionAu,
                fresh->fit->elements.perihelionAu,
                1e-3 * fresh->fit->elements.perihelionAu);
}

TEST_F(JudgeOrbitTest, TwoPlacesAreNoOrbit) {
    given.observations.resize(2);
    given.switchedOff.resize(2);
    given.old = 2;
    const auto judgement = judge();
    ASSERT_FALSE(judgement);
    EXPECT_EQ(judgement.error().id, ErrorId::OrbitTooFewObservations);
}

/// Truth: the ellipse that the variational equations carry along, which share nothing with the steps of boundsOf but the
/// covariance. A month on from the arc, 1 % for what is not linear.
TEST_F(JudgeOrbitTest, TheAreaToSearchIsTheEphemerissEllipse) {
    const auto judgement = judge();
    ASSERT_TRUE(judgement && judgement->fit);
    const auto site = test_support::drawnSites().find("Z99");
    const auto observer = observerAt(
        planets, *site, given.observations.back().time.plusSeconds(30.0 * kSecondsPerDay));
    ASSERT_TRUE(observer);
    const auto bounds = boundsOf(*judgement->fit, planets, *observer);
    ASSERT_TRUE(bounds) << bounds.error().detail;
    const auto ephemeris =
        Ephemeris::make(judgement->fit->elements, planets, observer->utc, observer->utc);
    ASSERT_TRUE(ephemeris);
    const Place place = ephemeris->at(*observer);
    ASSERT_TRUE(place.uncertainty);
    EXPECT_NEAR(bounds->place.major.arcsec() / place.uncertainty->major.arcsec(), 1.0, 0.01);
    EXPECT_NEAR(bounds->place.minor.arcsec() / place.uncertainty->minor.arcsec(), 1.0, 0.01);
    EXPECT_NEAR(std::remainder(bounds->place.positionAngle.degrees() -
                                   place.uncertainty->positionAngle.degrees(),
                               180.0),
                0.0,
                1.0);
    EXPECT_LT(separation(bounds->sky, place.sky).arcsec(), 1e-3);
    EXPECT_NEAR(bounds->rateArcsecPerMin, place.rateArcsecPerMin(), 1e-9);
}

/// Truth: the scatter of q, e and the rate over fits to 60 draws of the same noise; such a scatter is itself known to 9 %.
TEST_F(JudgeOrbitTest, StatedErrorsAreTheScatterOfTheFits) {
    const auto first = judge();
    ASSERT_TRUE(first && first->fit);
    const ElementErrors stated = elementErrorsOf(*first->fit);
    const Observer& last = first->sightings.back().observer;
    const auto bounds = boundsOf(*first->fit, planets, last);
    ASSERT_TRUE(bounds);
    std::mt19937 random(99);
    std::normal_distribution<double> normal(0.0, body.noiseArcsec * kRadiansPerArcsec);
    const auto path = Trajectory::make(body.state,
                                       body.epoch,
                                       Forces(planets, "", std::nullopt),
                                       first->sightings.front().observer.tdb,
                                       last.tdb);
    ASSERT_TRUE(path);
    constexpr int draws = 60;
    std::array<double, 3> sums{};
    std::array<double, 3> squares{};
    for (int k = 0; k < draws; ++k) {
        auto sightings = first->sightings;
        for (Sighting& s : sightings) {
            const SkyPos truth = SkyPos::fromVector(sightOf(*path, s.observer).fromObserver);
            s.sky = fromTangentPlane(truth, {normal(random), normal(random)});
        }
        const auto fit = improveOrbit(first->fit->elements, sightings, planets, {.reject = false});
        ASSERT_TRUE(fit);
        const auto ephemeris = Ephemeris::make(fit->elements, planets, last.utc, last.utc);
        const std::array values{fit->elements.perihelionAu,
                                fit->elements.eccentricity,
                                ephemeris->at(last).rateArcsecPerMin()};
        for (std::size_t i = 0; i < 3; ++i) {
            sums[i] += values[i];
            squares[i] += values[i] * values[i];
        }
    }
    const std::array expected{stated.perihelionAu,
                              stated.eccentricity,
                              (bounds->mostRate - bounds->leastRate) / (2.0 * 1.96)};
    for (std::size_t i = 0; i < 3; ++i) {
        const double mean = sums[i] / draws;
        const double scatter = std::sqrt((squares[i] - draws * mean * mean) / (draws - 1));
        EXPECT_NEAR(scatter / expected[i], 1.0, 0.36) << i;
    }
}

/// Truth: the body's own motion: the cloud of an hour's arc holds it a day later.
TEST_F(JudgeOrbitTest, ACloudsBoundsHoldTheBody) {
    std::mt19937 random(12);
    const auto brief = test_support::drawBody(random, planets, {0.06, 0.061, 0.3, 0.301});
    given = {};
    given.body = "X";
    given.observations = brief.observations;
    given.old = brief.observations.size();
    const auto judgement = judge();
    ASSERT_TRUE(judgement) << judgement.error().detail;
    ASSERT_TRUE(judgement->cloud);
    const auto site = test_support::drawnSites().find("Z99");
    const auto observer =
        observerAt(planets, *site, brief.observations.back().time.plusSeconds(kSecondsPerDay));
    const auto path = Trajectory::make(
        brief.state, brief.epoch, Forces(planets, "", std::nullopt), observer->tdb, observer->tdb);
    ASSERT_TRUE(path);
    const Sight sight = sightOf(*path, *observer);
    const MotionBounds bounds = boundsOf(*judgement->cloud, planets, *observer);
    const double apart = separation(bounds.sky, SkyPos::fromVector(sight.fromObserver)).arcsec();
    EXPECT_LT(apart, 4.0 * bounds.place.major.arcsec());
    EXPECT_LT(bounds.leastRate, bounds.rateArcsecPerMin);
    EXPECT_GT(bounds.mostRate, bounds.rateArcsecPerMin);
}

} // namespace
} // namespace pathmark::orbit
