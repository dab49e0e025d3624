#include "simulate/orbit_through.h"

#include "simulate/body_motion.h"
#include "simulate/optics.h"

#include <gtest/gtest.h>

#include <cmath>

namespace pathmark::simulate {
namespace {

/// Truth: the place asked for. Light time moves a body by its own motion meanwhile, the observer's place by 9" / distance.
TEST(OrbitThroughTest, PassesThePlaceAskedFor) {
    SiteScenario site;
    site.longitudeDegrees = 23.4;
    site.latitudeDegrees = -31.2;
    const Utc time = *parseUtc("2029-10-04T22:10:00");
    for (const OrbitWish& wish : {OrbitWish{12.0, 4.0, 1.6, 1.0, 0.0, 5.0},
                                  OrbitWish{359.9, -20.0, 0.3, 1.15, 10.0, -20.0},
                                  OrbitWish{80.0, 88.5, 0.5, 0.9, -15.0, 60.0},
                                  OrbitWish{40.0, 10.0, 1.2, 1.38, -30.0, 150.0}}) {
        const BodyScenario body = orbitThrough(wish, time);
        EXPECT_GT(body.perihelionAu, 0.0);
        const Vec3 wanted = unitVector(wish.raDegrees, wish.decDegrees);
        const Vec3 seen = seeBody(body, site, time).direction;
        EXPECT_LT(norm(seen - wanted) * 206265.0, 120.0);
        EXPECT_LT(body.epochJulian, time.julian());
    }
}

} // namespace
} // namespace pathmark::simulate
