#include "core/night/cloud_paths.h"

#include "core/orbit/determine/ranging.h"
#include "simulate/body_motion.h"
#include "simulate/orbit_through.h"
#include "tests/support/small_night.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <random>

namespace pathmark::night {
namespace {

constexpr double kScaleArcsec = 0.8;
constexpr double kStarPixels = 3.0;

frame::Site siteOf(const simulate::SiteScenario& site) {
    frame::Site made;
    made.code = "Z96";
    made.longitude = Angle::degrees(site.longitudeDegrees);
    made.latitude = Angle::degrees(site.latitudeDegrees);
    made.altitudeMetres = site.altitudeMetres;
    return made;
}

SkyPos
seenFrom(const simulate::BodyScenario& body, const simulate::SiteScenario& site, const Utc& time) {
    return SkyPos::fromVector(simulate::seeBody(body, site, time).direction);
}

/// Four places of three hours.
std::vector<orbit::Observation> placesOf(const simulate::BodyScenario& body,
                                         const simulate::SiteScenario& site,
                                         const Utc& first,
                                         std::mt19937& random) {
    std::normal_distribution<double> noise(0.0, 0.1);
    std::vector<orbit::Observation> observations;
    for (int k = 0; k < 4; ++k) {
        orbit::Observation o;
        o.body = "Made";
        o.time = first.plusSeconds(3600.0 * k);
        o.sky = offsetBy(seenFrom(body, site, o.time), noise(random), noise(random));
        o.station = "Z96";
        o.mode = "CCD";
        o.sigmaRaArcsec = o.sigmaDecArcsec = 0.1;
        observations.push_back(o);
    }
    return observations;
}

std::vector<StackLight> lightsFrom(const Utc& first) {
    std::vector<StackLight> lights(8);
    for (std::size_t i = 0; i < lights.size(); ++i) {
        const double scale = kScaleArcsec * kRadiansPerArcsec;
        lights[i].middle = first.plusSeconds(600.0 * static_cast<double>(i));
        lights[i].fwhmPixels = kStarPixels;
        lights[i].place.wcs.cd = {-scale, 0.0, 0.0, scale};
    }
    return lights;
}

/// The least, over the members, of how far a member is from the body at the worst light, arcsec.
double nearestTo(const LostPaths& paths,
                 std::span<const StackLight> lights,
                 const std::vector<SkyPos>& truth) {
    const auto farthest = [&](const std::array<double, 3>& q) {
        const auto path = paths.pathOf(q);
        double most = 0.0;
        for (std::size_t i = 0; i < lights.size(); ++i) {
            most = std::max(most,
                            separation((*path)->at(lights[i].middle).value(), truth[i]).arcsec());
        }
        return most;
    };
    std::array<double, 3> best{};
    double least = farthest(best);
    std::array<double, 3> step{1.0, 1.0, 1.0};
    for (int round = 0; round < 14; ++round) {
        const auto centre = best;
        for (int a = -4; a <= 4; ++a) {
            for (int b = -4; b <= 4; ++b) {
                for (int c = -4; c <= 4; ++c) {
                    const std::array<double, 3> q{
                        std::clamp(centre[0] + 0.25 * a * step[0], -1.0, 1.0),
                        std::clamp(centre[1] + 0.25 * b * step[1], -1.0, 1.0),
                        std::clamp(centre[2] + 0.25 * c * step[2], -1.0, 1.0)};
                    const double there = farthest(q);
                    if (there < least) {
                        least = there;
                        best = q;
                    }
                }
            }
        }
        for (double& one : step) {
            one *= 0.6;
        }
    }
    return least;
}

/// Truth: the simulator's own Kepler motion and Earth. A member goes with the body, a night earlier, to a third of a star's width, and the
/// body is where it is not unlikely.
TEST(CloudPathsTest, OneOfThemGoesWithTheBody) {
    const auto site = test_support::smallScenario().site;
    const frame::Site own = siteOf(site);
    orbit::SiteCodes sites;
    sites.add(own, "Made-up hill");
    const auto tables = openSkyTables({});
    ASSERT_TRUE(tables);
    int held = 0;
    constexpr int bodies = 12;
    for (unsigned seed = 1; seed <= bodies; ++seed) {
        std::mt19937 random(seed);
        const auto uniform = [&](double from, double to) {
            return std::uniform_real_distribution<double>(from, to)(random);
        };
        const Utc tonight = *parseUtc("2034-03-17T19:20:00");
        simulate::OrbitWish wish;
        wish.raDegrees = uniform(165.0, 190.0);
        wish.decDegrees = uniform(-5.0, 10.0);
        wish.distanceAu = seed % 3 == 0 ? uniform(0.5, 0.9) : uniform(1.0, 2.2);
        wish.speed = uniform(0.97, 1.1);
        wish.climbDegrees = uniform(-6.0, 6.0);
        const auto body = simulate::orbitThrough(wish, tonight);
        const auto list = orbit::makeSightings(
            placesOf(body, site, tonight, random), tables->planets, sites, tables->turn);
        const auto cloud = orbit::rangeSystematically(list.sightings);
        ASSERT_TRUE(cloud) << cloud.error().detail;
        const auto lights = lightsFrom(tonight.plusSeconds(-kSecondsPerDay));
        std::vector<SkyPos> truth;
        for (const StackLight& light : lights) {
            truth.push_back(seenFrom(body, site, light.middle));
        }
        const auto paths = LostPaths::make({nullptr, &*cloud, *tables, own}, lights, {});
        ASSERT_TRUE(paths) << paths.error().detail;
        const double off = nearestTo(**paths, lights, truth);
        held += off < kAsideWidths * kStarPixels * kScaleArcsec ? 1 : 0;
    }
    EXPECT_GE(held, bodies - 1) << "99 % of the likelihood is within the coordinates";
}

TEST(CloudPathsTest, MoreThanADayIsTooLong) {
    orbit::OrbitCloud cloud;
    cloud.cells.resize(1);
    auto lights = lightsFrom(*parseUtc("2034-03-17T19:20:00"));
    lights.back().middle = lights.front().middle.plusSeconds(2.0 * kSecondsPerDay);
    const auto tables = openSkyTables({});
    ASSERT_TRUE(tables);
    const frame::Site site;
    const auto paths = LostPaths::make({nullptr, &cloud, *tables, site}, lights, {});
    ASSERT_FALSE(paths);
    EXPECT_EQ(paths.error().id, ErrorId::SweepNoMotion);
}

} // namespace
} // namespace pathmark::night
