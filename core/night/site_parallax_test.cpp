#include "core/night/site_parallax.h"

#include "simulate/body_motion.h"

#include <gtest/gtest.h>

#include <cmath>

namespace pathmark::night {
namespace {

simulate::SiteScenario madeSite(double longitude, double latitude, double altitude) {
    simulate::SiteScenario site;
    site.longitudeDegrees = longitude;
    site.latitudeDegrees = latitude;
    site.altitudeMetres = altitude;
    return site;
}

/// A body of an apparent place near the Earth.
simulate::BodyScenario nearBody() {
    simulate::BodyScenario body;
    body.epochJulian = 2464041.5;
    body.perihelionAu = 1.0010002;
    body.eccentricity = 0.2405074840540175;
    body.inclinationDegrees = 10.985207517649888;
    body.nodeDegrees = 176.11556023606153;
    body.argumentDegrees = 72.58526914357707;
    body.meanAnomalyDegrees = 314.08944920;
    return body;
}

SiteSight sightFrom(const simulate::SiteScenario& from, const Utc& time) {
    frame::Site site;
    site.longitude = Angle::degrees(from.longitudeDegrees);
    site.latitude = Angle::degrees(from.latitudeDegrees);
    site.altitudeMetres = from.altitudeMetres;
    return {
        SkyPos::fromVector(simulate::seeBody(nearBody(), from, time).direction), 0.01, time, site};
}

/// Truth: the simulator's own lines of sight from two sites, by erfa's places of the Earth, and how far away it has the body.
TEST(SiteParallaxTest, TwoSitesTellTheDistance) {
    const Utc time = *parseUtc("2034-03-17T22:00:00");
    const auto home = madeSite(23.4127, -31.2086, 1374.0);
    const auto away = madeSite(-65.2, -24.6, 2400.0);
    const auto tables = openSkyTables({});
    ASSERT_TRUE(tables) << tables.error().detail;
    const auto seen =
        siteParallax(sightFrom(away, time), sightFrom(home, time), std::nullopt, *tables);
    ASSERT_TRUE(seen) << seen.error().detail;
    const double truth = simulate::seeBody(nearBody(), home, time).distanceAu;
    // From the Earth's centre, not from the site: at most its radius, 4.3e-5 au, apart.
    EXPECT_NEAR(seen->parallax.distanceAu, truth, 5e-5 + 3.0 * seen->distanceErrorAu);
    EXPECT_LT(seen->distanceErrorAu / truth, 0.02);
    EXPECT_LT(seen->offLine().degrees(), 1.0);
    EXPECT_FALSE(seen->isMotionTakenOff);
    EXPECT_NEAR(seen->shiftErrorArcsec, 0.01414, 1e-4);
    // Chords of the Earth are shorter than it is wide.
    EXPECT_LT(seen->parallax.baselineAu * orbit::kKilometresPerAu, 12756.0);
    EXPECT_GT(seen->parallax.baselineAu * orbit::kKilometresPerAu, 7000.0);
}

} // namespace
} // namespace pathmark::night
