#include "core/base/angle.h"

#include "core/base/sexagesimal.h"
#include "tests/support/matchers.h"

#include <erfa.h>
#include <gtest/gtest.h>

#include <random>

namespace pathmark {
namespace {

TEST(TangentPlaneTest, ComesBackFromAnyPlaceOnTheSky) {
    std::mt19937 random(7);
    std::uniform_real_distribution<double> ra(0.0, 360.0);
    std::uniform_real_distribution<double> dec(-89.999, 89.999);
    std::uniform_real_distribution<double> offset(-0.05, 0.05);
    for (int i = 0; i < 2000; ++i) {
        const SkyPos centre = skyDegrees(ra(random), dec(random));
        const SkyPos place = fromTangentPlane(centre, {offset(random), offset(random)});
        const PlanePos plane = toTangentPlane(centre, place);
        EXPECT_THAT(fromTangentPlane(centre, plane),
                    test_support::IsNearDirection(place, Angle::arcsec(1e-7)));
    }
}

TEST(TangentPlaneTest, AgreesWithErfa) {
    // Truth: ERFA eraTpxes, another implementation of the gnomonic projection.
    std::mt19937 random(8);
    std::uniform_real_distribution<double> any(-0.3, 0.3);
    for (int i = 0; i < 500; ++i) {
        const SkyPos centre{Angle::radians(1.0 + any(random)), Angle::radians(1.2 + any(random))};
        const SkyPos place{Angle::radians(1.0 + any(random)), Angle::radians(1.2 + any(random))};
        double xi = 0.0;
        double eta = 0.0;
        ASSERT_EQ(eraTpxes(place.longitude.radians(),
                           place.latitude.radians(),
                           centre.longitude.radians(),
                           centre.latitude.radians(),
                           &xi,
                           &eta),
                  0);
        const PlanePos plane = toTangentPlane(centre, place);
        EXPECT_NEAR(plane.xi, xi, 1e-14);
        EXPECT_NEAR(plane.eta, eta, 1e-14);
    }
}

TEST(SexagesimalTest, RoundsCarriesAndWraps) {
    EXPECT_EQ(toHours(Angle::degrees(359.99999999), 2), "00 00 00.00");
    EXPECT_EQ(toHours(Angle::degrees(166.64025), 3), "11 06 33.660");
    EXPECT_EQ(toDegrees(Angle::degrees(-0.00001), 1), "-00 00 00.0");
    EXPECT_EQ(toDegrees(Angle::degrees(6.9999999), 1), "+07 00 00.0");
}

TEST(SexagesimalTest, ReadsWhatItWrites) {
    std::mt19937 random(9);
    std::uniform_real_distribution<double> degrees(-90.0, 90.0);
    for (int i = 0; i < 500; ++i) {
        const Angle angle = Angle::degrees(degrees(random));
        const auto back = parseSexagesimal(toDegrees(angle, 4, ':'), false, PlainNumber::Degrees);
        ASSERT_TRUE(back);
        EXPECT_NEAR((*back - angle).arcsec(), 0.0, 0.5e-4 + 1e-9);
    }
}

TEST(SexagesimalTest, PlainNumbersFollowTheirUnit) {
    EXPECT_NEAR(parseSexagesimal("166.5", true, PlainNumber::Degrees)->degrees(), 166.5, 1e-12);
    EXPECT_NEAR(parseSexagesimal("11.1", true, PlainNumber::Hours)->degrees(), 166.5, 1e-12);
    EXPECT_NEAR(parseSexagesimal("11h06m00s", true, PlainNumber::Hours)->degrees(), 166.5, 1e-12);
    EXPECT_NEAR(parseSexagesimal("-00:30:00", false, PlainNumber::Degrees)->degrees(), -0.5, 1e-12);
    EXPECT_FALSE(parseSexagesimal("12 61 00", false, PlainNumber::Degrees));
    EXPECT_FALSE(parseSexagesimal("north", false, PlainNumber::Degrees));
}

} // namespace
} // namespace pathmark
