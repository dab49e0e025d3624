#include "core/orbit/determine/ranging.h"

#include "tests/support/observed_bodies.h"
#include "tests/support/shipped_planets.h"

#include <gtest/gtest.h>

#include <cmath>

namespace pathmark::orbit {
namespace {

/// Truth: the drawn bodies, followed by another integrator. A cloud that is honest holds the true distance, and the
/// true place a day later, far more often than not: 95 % by its own region, 15 of 16 with luck to spare.
TEST(RangingTest, TheCloudHoldsTheTruth) {
    const Planets planets = test_support::shippedPlanets();
    int holdsDistance = 0;
    int holdsPlace = 0;
    constexpr int bodies = 16;
    for (unsigned seed = 1; seed <= bodies; ++seed) {
        std::mt19937 random(seed);
        const auto body =
            test_support::drawBody(random, planets, {1.0 / 24.0, 2.0 / 24.0, 0.3, 0.31});
        const auto list = makeSightings(body.observations, planets, test_support::drawnSites());
        const auto cloud = rangeSystematically(list.sightings);
        ASSERT_TRUE(cloud) << cloud.error().detail;
        const Forces forces(planets, "", std::nullopt);
        const auto& middle = list.sightings[list.sightings.size() / 2];
        Observer later = middle.observer;
        const Utc next = middle.observer.utc.plusSeconds(86400.0);
        later = *observerAt(planets, *test_support::drawnSites().find("Z99"), next);
        const auto truth =
            Trajectory::make(body.state, body.epoch, forces, middle.observer.tdb, later.tdb);
        ASSERT_TRUE(truth);
        const double distance = norm(sightOf(*truth, middle.observer).fromObserver);
        double nearest = 1e9;
        double farthest = 0.0;
        for (const auto& cell : cloud->cells) {
            nearest = std::min(nearest, cell.distanceAu);
            farthest = std::max(farthest, cell.distanceAu);
        }
        holdsDistance += distance > 0.98 * nearest && distance < 1.02 * farthest ? 1 : 0;
        // Nearer to a member of the cloud than the cells lie apart.
        const SkyPos there = SkyPos::fromVector(sightOf(*truth, later).fromObserver);
        double off = 1e9;
        double spread = 0.0;
        const auto places = directionsOf(*cloud, later);
        for (const SkyPos& place : places) {
            off = std::min(off, separation(place, there).arcsec());
            spread = std::max(spread, separation(place, places.front()).arcsec());
        }
        holdsPlace += off < std::max(30.0, 0.1 * spread) ? 1 : 0;
    }
    EXPECT_GE(holdsDistance, bodies - 1);
    EXPECT_GE(holdsPlace, bodies - 1);
}

TEST(RangingTest, OnePlaceIsTooFew) {
    const auto cloud = rangeSystematically(std::vector<Sighting>(1));
    ASSERT_FALSE(cloud);
    EXPECT_EQ(cloud.error().id, ErrorId::OrbitTooFewObservations);
}

} // namespace
} // namespace pathmark::orbit
