#include "core/orbit/place/star_parallax.h"

#include <erfa.h>
#include <gtest/gtest.h>

#include <array>
#include <cmath>

// Truth: ERFA's eraPmpx says where an observer sees a star of known parallax and proper motion; the Earth by ERFA's own series
// (eraEpv00), not by the planets that ship.
namespace pathmark::orbit {
namespace {

struct Star {
    double ra = 0.0; ///< degrees
    double dec = 0.0;
    double parallaxMas = 0.0;
    ProperMotion motion;
};

Vec3 earthAt(const Utc& time) {
    double heliocentric[2][3];
    double barycentric[2][3];
    const Tdb tdb = toTdb(time);
    eraEpv00(tdb.day(), tdb.fraction(), heliocentric, barycentric);
    return {barycentric[0][0], barycentric[0][1], barycentric[0][2]};
}

StarSight seen(const Star& star, const Utc& start, const Utc& time) {
    Vec3 earth = earthAt(time);
    const double mas = 1e-3 * kRadiansPerArcsec;
    const double dec = star.dec * kRadiansPerDegree;
    std::array<double, 3> direction{};
    eraPmpx(star.ra * kRadiansPerDegree,
            dec,
            star.motion.ra * mas / std::cos(dec),
            star.motion.dec * mas,
            star.parallaxMas * 1e-3,
            0.0,
            time.secondsSince(start) / (365.25 * 86400.0),
            earth.data(),
            direction.data());
    return {SkyPos::fromVector({direction[0], direction[1], direction[2]}), 0.003, time, earth};
}

TEST(StarParallaxTest, IsFoundOnceTheStarsOwnMotionIsTakenOff) {
    const Utc spring = *parseUtc("2034-03-17T22:00:00");
    const Utc autumn = *parseUtc("2034-09-10T02:00:00");
    for (const Star& star : {Star{177.2, 2.3, 180.0, {900.0, -3600.0}},
                             Star{269.4, 4.7, 547.0, {-800.0, 10300.0}},
                             Star{20.0, -65.0, 25.0, {12.0, 3.0}},
                             Star{250.0, 88.0, 40.0, {0.0, 0.0}}}) {
        const auto found =
            starParallax(seen(star, spring, spring), seen(star, spring, autumn), star.motion);
        ASSERT_TRUE(found);
        EXPECT_NEAR(found->parallaxMas, star.parallaxMas, 0.002 * star.parallaxMas + 0.05);
        EXPECT_NEAR(found->acrossMas, 0.0, 0.3);
        EXPECT_NEAR(found->distanceParsec(), 1000.0 / star.parallaxMas, 0.1);
        EXPECT_NEAR(found->errorMas, 3.0 * std::sqrt(2.0) / found->baselineAcrossAu, 1e-6);
    }
}

TEST(StarParallaxTest, AMotionNotToldLiesAcrossOrInIt) {
    const Utc spring = *parseUtc("2034-03-17T22:00:00");
    const Utc autumn = *parseUtc("2034-09-10T02:00:00");
    const Star star{177.2, 2.3, 180.0, {0.0, -3600.0}};
    const auto found = starParallax(seen(star, spring, spring), seen(star, spring, autumn), {});
    ASSERT_TRUE(found);
    EXPECT_GT(std::abs(found->acrossMas), 10.0 * found->acrossErrorMas);
}

TEST(StarParallaxTest, DatesWithTheEarthOnOneSideTellNothing) {
    const Utc spring = *parseUtc("2034-03-17T22:00:00");
    const Star star{177.2, 2.3, 180.0, {}};
    EXPECT_FALSE(
        starParallax(seen(star, spring, spring), seen(star, spring, spring.plusSeconds(3e5)), {}));
}

} // namespace
} // namespace pathmark::orbit
