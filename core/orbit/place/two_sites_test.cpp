#include "core/orbit/place/two_sites.h"

#include <gtest/gtest.h>

namespace pathmark::orbit {
namespace {

/// Truth: a body put at a known place; each site sees it along the line from itself.
TEST(TwoSitesTest, TheLinesMeetWhereTheBodyIs) {
    const Vec3 body{0.01, 0.02, -0.005};
    const Vec3 first{2e-5, 3e-5, 1e-5};
    const Vec3 second{-1e-5, 4e-5, -2e-5};
    const auto parallax = parallaxOf({SkyPos::fromVector(body - first), first},
                                     {SkyPos::fromVector(body - second), second});
    ASSERT_TRUE(parallax);
    EXPECT_NEAR(parallax->distanceAu / norm(body), 1.0, 1e-9);
    EXPECT_NEAR(parallax->baselineAu, norm(second - first), 1e-15);
    EXPECT_GT(parallax->alongShare, 0.99999);
    // Small angles: shift = baseline across / distance.
    EXPECT_NEAR(parallax->shiftArcsec * kRadiansPerArcsec,
                parallax->baselinePerpendicularAu / norm(body - first),
                3e-5);
}

TEST(TwoSitesTest, WhatTellsNoDistanceIsRefused) {
    const Vec3 first{2e-5, 0.0, 0.0};
    const Vec3 second{-2e-5, 0.0, 0.0};
    const SkyPos same = skyDegrees(90.0, 10.0);
    EXPECT_FALSE(parallaxOf({same, first}, {same, second}));
    // Seen further to the west from the west: the lines part.
    const Vec3 body{0.0, 0.02, 0.0};
    EXPECT_FALSE(parallaxOf({SkyPos::fromVector(body - second), first},
                            {SkyPos::fromVector(body - first), second}));
}

} // namespace
} // namespace pathmark::orbit
