#include "core/picture/star_colours.h"

#include "tests/support/photons.h"

#include <gtest/gtest.h>

#include <cmath>
#include <vector>

namespace pathmark::picture {
namespace {

/// Stars of a camera whose planes answer to colour by stated parabolas, with 2 % of noise and a tenth of them spoilt.
std::vector<PlaneStar> starsOf(int count, bool haveColours) {
    test_support::Photons random(4);
    std::vector<PlaneStar> stars;
    for (int k = 0; k < count; ++k) {
        PlaneStar star;
        const double colour = 0.3 + 1.5 * random.uniform();
        const double magnitude = 12.0 + 3.0 * random.uniform();
        const double x = colour - 0.82;
        const double terms[3] = {-0.30 * x + 0.4, 0.10 * x, 0.75 * x + 0.08 * x * x + 1.2};
        for (std::size_t c = 0; c < 3; ++c) {
            const double spoilt = k % 10 == 0 ? 1.5 : 1.0;
            star.flux[c] = std::pow(10.0, 0.4 * (20.0 - magnitude - terms[c])) *
                           (1.0 + random.normal(0.02)) * (c == 2 ? spoilt : 1.0);
        }
        if (haveColours) {
            star.magG = magnitude;
            star.bpMinusRp = colour;
        }
        stars.push_back(star);
    }
    return stars;
}

/// Truth: a star of the Sun's colour is 0.4 mag fainter in red and 1.2 mag fainter in blue than in green.
TEST(StarColoursTest, AStarLikeTheSunBecomesWhite) {
    const PlaneScales scales = scalesOf(starsOf(300, true));
    EXPECT_NEAR(scales.scale[0], std::pow(10.0, 0.16), 0.01);
    EXPECT_DOUBLE_EQ(scales.scale[1], 1.0);
    EXPECT_NEAR(scales.scale[2], std::pow(10.0, 0.48), 0.03);
    EXPECT_EQ(scales.stars, 300);
    EXPECT_NEAR(scales.scatter, 0.031, 0.006); // 2 % in each of two planes
}

TEST(StarColoursTest, WithoutACatalogueTheMedianStarIsWhite) {
    const auto stars = starsOf(200, false);
    const PlaneScales scales = scalesOf(stars);
    int redder = 0;
    for (const auto& star : stars) {
        redder += scales.scale[0] * star.flux[0] > star.flux[1] ? 1 : 0;
    }
    EXPECT_NEAR(redder, 100, 2);
}

TEST(StarColoursTest, WithoutStarsNothingIsChanged) {
    const PlaneScales scales = scalesOf({});
    EXPECT_DOUBLE_EQ(scales.scale[0], 1.0);
    EXPECT_DOUBLE_EQ(scales.scale[2], 1.0);
    EXPECT_EQ(scales.stars, 0);
}

} // namespace
} // namespace pathmark::picture
