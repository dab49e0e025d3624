#include "core/orbit/determine/normal_points.h"

#include "core/orbit/determine/ranging.h"
#include "tests/support/observed_bodies.h"
#include "tests/support/shipped_planets.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>

namespace pathmark::orbit {
namespace {

/// Twenty sightings a minute apart, moving evenly; two visits an hour apart.
std::vector<Sighting> evenly() {
    std::vector<Sighting> sightings;
    const Utc start = *parseUtc("2034-03-17T21:00:00");
    for (int i = 0; i < 20; ++i) {
        const double minutes = i + (i >= 10 ? 60.0 : 0.0);
        Sighting s;
        s.observer.utc = start.plusSeconds(60.0 * minutes);
        s.observer.tdb = toTdb(s.observer.utc);
        s.observer.place = {1.0 + 1e-6 * minutes, 0.0, 0.0};
        s.sky = fromTangentPlane(skyDegrees(0.01, 5.0),
                                 {3.0 * minutes * kRadiansPerArcsec, -kRadiansPerArcsec * minutes});
        s.sigmaXi = 0.2 * kRadiansPerArcsec;
        s.sigmaEta = 0.4 * kRadiansPerArcsec;
        s.source = static_cast<std::size_t>(i);
        sightings.push_back(s);
    }
    return sightings;
}

/// Truth: the mean of an even motion is the motion at the mean time; the error falls with the root of the number.
TEST(NormalPointsTest, AnEvenMotionIsItsOwnMean) {
    const auto points = normalPoints(evenly(), 4);
    ASSERT_EQ(points.size(), 4U);
    for (const Sighting& p : points) {
        const double minutes = p.observer.utc.secondsSince(*parseUtc("2034-03-17T21:00:00")) / 60.0;
        const SkyPos truth =
            fromTangentPlane(skyDegrees(0.01, 5.0),
                             {3.0 * minutes * kRadiansPerArcsec, -kRadiansPerArcsec * minutes});
        EXPECT_LT(separation(p.sky, truth).arcsec(), 1e-5);
        EXPECT_NEAR(p.observer.place[0], 1.0 + 1e-6 * minutes, 1e-12);
        EXPECT_NEAR(p.sigmaXi / kRadiansPerArcsec, 0.2 / std::sqrt(5.0), 1e-9);
        EXPECT_NEAR(p.sigmaEta / kRadiansPerArcsec, 0.4 / std::sqrt(5.0), 1e-9);
    }
}

TEST(NormalPointsTest, NoneReachesOverAPauseAndFewStayAsTheyAre) {
    const auto points = normalPoints(evenly(), 2);
    EXPECT_EQ(points.size(), 2U);
    EXPECT_NEAR(points[1].observer.utc.secondsSince(points[0].observer.utc), 70.0 * 60.0, 1e-6);
    EXPECT_EQ(normalPoints(evenly(), 1).size(), 2U) << "one point would reach over the pause";
    EXPECT_EQ(normalPoints(evenly(), 20).size(), 20U);
    EXPECT_EQ(normalPoints(evenly(), 20)[7].source, 7U);
}

/// Truth: the ranges of the cloud from each place by itself.
TEST(NormalPointsTest, TheCloudOfManyPlacesIsThatOfTheirMeans) {
    const Planets planets = test_support::shippedPlanets();
    std::mt19937 random(31);
    const auto body = test_support::drawBody(random, planets, {0.06, 0.061, 0.3, 0.301});
    // Each place six times, as a long night has them.
    std::vector<Observation> many;
    for (const Observation& o : body.observations) {
        many.insert(many.end(), 6, o);
    }
    const auto list = makeSightings(many, planets, test_support::drawnSites());
    const auto cloud = rangeSystematically(list.sightings);
    // Six of a kind are one with an error smaller by root six.
    std::vector<Observation> sharper = body.observations;
    for (Observation& o : sharper) {
        o.sigmaRaArcsec = *o.sigmaRaArcsec / std::sqrt(6.0);
        o.sigmaDecArcsec = *o.sigmaDecArcsec / std::sqrt(6.0);
    }
    const auto few = makeSightings(sharper, planets, test_support::drawnSites());
    const auto truth = rangeSystematically(few.sightings);
    ASSERT_TRUE(cloud && truth);
    const auto span = [](const OrbitCloud& c) {
        const auto [low, high] =
            std::minmax_element(c.cells.begin(), c.cells.end(), [](const auto& a, const auto& b) {
                return a.distanceAu < b.distanceAu;
            });
        return std::pair{low->distanceAu, high->distanceAu};
    };
    EXPECT_NEAR(span(*cloud).first / span(*truth).first, 1.0, 0.1);
    EXPECT_NEAR(span(*cloud).second / span(*truth).second, 1.0, 0.1);
}

} // namespace
} // namespace pathmark::orbit
