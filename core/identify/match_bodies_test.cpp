#include "core/identify/match_bodies.h"

#include <gtest/gtest.h>

#include <numbers>
#include <random>

namespace pathmark::identify {
namespace {

SkyPos shifted(const SkyPos& from, double eastArcsec, double northArcsec) {
    return fromTangentPlane(from,
                            {eastArcsec * kRadiansPerArcsec, northArcsec * kRadiansPerArcsec});
}

ExpectedBody round(const SkyPos& sky, double sigma) {
    return {sky, sigma * sigma, 0.0, sigma * sigma};
}

constexpr double kArea = 1.0e6;

/// Truth: offsets put in by hand; chi-square of two axes by Pythagoras.
TEST(MatchBodiesTest, TheNearerSourceByItsErrorsIsTheBody) {
    const SkyPos place = skyDegrees(0.001, 12.0);
    const std::vector<SkySource> sources{{shifted(place, 3.0, 0.0), 0.1, 10.0},
                                         {shifted(place, -0.6, 0.8), 0.1, 8.0}};
    const auto matches = matchBodies(std::vector{round(place, 0.7)}, sources, kArea);
    ASSERT_EQ(matches.size(), 1U);
    EXPECT_EQ(matches[0].source, 1U);
    EXPECT_NEAR(matches[0].xiArcsec, -0.6, 1e-6);
    EXPECT_NEAR(matches[0].etaArcsec, 0.8, 1e-6);
    EXPECT_NEAR(matches[0].chiSquare, 1.0 / (0.49 + 0.01), 1e-6);
    // Two sources a million square arcsec: pi chi^2 sigma^2 of area around the prediction.
    EXPECT_NEAR(matches[0].chance, std::numbers::pi * 1.0 * 2e-6, 1e-10);
}

/// An ellipse along the north-east: what lies along it agrees, the same distance across it does not.
TEST(MatchBodiesTest, TheEllipseDecidesNotTheDistance) {
    const SkyPos place = skyDegrees(200.0, -30.0);
    const ExpectedBody body{place, 50.5, 49.5, 50.5}; // half axes 10" and 1"
    const std::vector<SkySource> along{{shifted(place, 10.0, 10.0), 0.2, 9.0}};
    const std::vector<SkySource> across{{shifted(place, 10.0, -10.0), 0.2, 9.0}};
    EXPECT_EQ(matchBodies(std::vector{body}, along, kArea).size(), 1U);
    EXPECT_TRUE(matchBodies(std::vector{body}, across, kArea).empty());
}

TEST(MatchBodiesTest, NoSourceBelongsToTwoBodies) {
    const SkyPos place = skyDegrees(77.0, 20.0);
    const std::vector<ExpectedBody> bodies{round(place, 1.0), round(shifted(place, 1.5, 0.0), 1.0)};
    const std::vector<SkySource> sources{{shifted(place, 1.2, 0.0), 0.1, 9.0}};
    const auto matches = matchBodies(bodies, sources, kArea);
    ASSERT_EQ(matches.size(), 1U);
    EXPECT_EQ(matches[0].body, 1U);
}

/// Truth: 99.9 % of draws lie within the gate by construction; 4000 draws, four of its sigmas.
TEST(MatchBodiesTest, OneInAThousandIsMissed) {
    std::mt19937 random(3);
    std::normal_distribution<double> normal;
    const SkyPos place = skyDegrees(10.0, 70.0);
    int missed = 0;
    for (int i = 0; i < 4000; ++i) {
        const double sigma = std::hypot(0.4, 0.3);
        const std::vector<SkySource> sources{
            {shifted(place, sigma * normal(random), sigma * normal(random)), 0.3, 9.0}};
        missed += matchBodies(std::vector{round(place, 0.4)}, sources, kArea).empty() ? 1 : 0;
    }
    EXPECT_LE(missed, 12);
    EXPECT_GE(missed, 1); // none in 4000 is as unlikely as 2 %: a gate far too wide
}

/// Truth: 20" a decade over ten years is 20"; the orbit leads north-east twice as fast as seen from the Sun, so the error lies there,
/// wherever the body seems to move.
TEST(ExpectedFromTest, RunoffLiesAlongTheOrbit) {
    orbit::Elements elements;
    elements.epoch = Tdb::julian(2460000.5);
    elements.runoffArcsecPerDecade = 20.0;
    orbit::Place place;
    place.time = toUtc(Tdb::julian(2460000.5 + 3652.5));
    place.sky = skyDegrees(50.0, 10.0);
    place.xiRateArcsecPerMin = -0.6;
    place.aheadOnOrbit = {1.6, 1.2};
    const ExpectedBody body = expectedFrom(elements, place);
    EXPECT_NEAR(body.xiXi, 32.0 * 32.0 + 0.25, 0.01);
    EXPECT_NEAR(body.etaEta, 24.0 * 24.0 + 0.25, 0.01);
    EXPECT_NEAR(body.xiEta, 32.0 * 24.0, 0.01);
}

/// Truth: the ellipse given, its major axis at a position angle of 45 degrees.
TEST(ExpectedFromTest, ACovarianceIsTakenAsItIs) {
    orbit::Elements elements;
    elements.epoch = Tdb::julian(2460000.5);
    elements.runoffArcsecPerDecade = 500.0;
    orbit::Place place;
    place.time = toUtc(Tdb::julian(2463000.5));
    place.uncertainty =
        orbit::SkyEllipse{Angle::arcsec(10.0), Angle::arcsec(1.0), Angle::degrees(45.0)};
    const ExpectedBody body = expectedFrom(elements, place);
    EXPECT_NEAR(body.xiXi, 50.5, 1e-9);
    EXPECT_NEAR(body.etaEta, 50.5, 1e-9);
    EXPECT_NEAR(body.xiEta, 49.5, 1e-9);
}

} // namespace
} // namespace pathmark::identify
