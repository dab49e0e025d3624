#include "core/solve/fit_steps.h"

#include <gtest/gtest.h>

namespace pathmark::solve {
namespace {

/// A frame's sources, the brightest first: so many of each kind.
detect::Detection detectionOf(int wide, int sharp, int stars) {
    detect::Detection detection{detect::Background(frame::Image(64, 64, 100.0F)),
                                detect::PointSpreadField(detect::FieldShape{}),
                                {}};
    const auto add = [&](int count, std::uint32_t flags) {
        for (int i = 0; i < count; ++i) {
            detect::Source source;
            source.flags = flags;
            detection.sources.push_back(source);
        }
    };
    add(wide, detect::kExtended);
    add(sharp, detect::kSharp);
    add(stars, 0);
    return detection;
}

TEST(StarlikeTest, WhatIsSharperOrWiderThanAStarIsNone) {
    EXPECT_EQ(starlike(detectionOf(20, 30, 100)).size(), 100U);
    EXPECT_EQ(starlike(detectionOf(20, 30, 100)).front(), 50U);
    EXPECT_EQ(starlike(detectionOf(0, 500, 5)).size(), 5U) << "hot pixels are never stars";
}

/// Trails of a pixel or two on coarse pixels: the brightest stars all look wider than the shape that was learned.
TEST(StarlikeTest, WhereMostBrightOnesAreWideTheyAreTheStars) {
    EXPECT_EQ(starlike(detectionOf(45, 10, 900)).size(), 945U);
    EXPECT_EQ(starlike(detectionOf(45, 10, 900)).front(), 0U);
    EXPECT_EQ(starlike(detectionOf(28, 0, 900)).size(), 900U);
}

} // namespace
} // namespace pathmark::solve
