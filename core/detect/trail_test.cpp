#include "core/detect/trail.h"

#include "core/detect/matched_filter.h"
#include "tests/support/photons.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>

namespace pathmark::detect {
namespace {

constexpr int kSide = 420;

/// A frame of so many stars, drawn out as the mount moved; with the places of their middles.
struct Drawn {
    frame::Image image{kSide, kSide, 0.0F};
    std::vector<Peak> peaks;

    Drawn(double trailX, double trailY, std::uint32_t seed, int stars = 40) {
        test_support::Photons photons(seed);
        photons.setBlur(2.6, 3.0, trailX, trailY);
        for (int i = 0; i < stars; ++i) {
            const double x = 30.0 + (kSide - 60) * photons.uniform();
            const double y = 30.0 + (kSide - 60) * photons.uniform();
            const double electrons = 6000.0 + 60000.0 * photons.uniform();
            photons.point(image, x, y, electrons);
            peaks.push_back({static_cast<int>(std::lround(x)),
                             static_cast<int>(std::lround(y)),
                             static_cast<float>(electrons / 300.0)});
        }
        for (float& v : image.pixels()) {
            v += static_cast<float>(photons.poisson(150.0));
        }
        std::sort(
            peaks.begin(), peaks.end(), [](const Peak& a, const Peak& b) { return a.snr > b.snr; });
    }

    [[nodiscard]] std::optional<CommonTrail> common() const {
        return findCommonTrail(image, Background(image), peaks);
    }
};

/// Truth: from end to end of the photons' way. A trail has no beginning: either sense will do.
TEST(CommonTrailTest, LengthAndDirectionAreThoseOfTheMount) {
    for (const auto& [x, y] :
         {std::pair{9.0, 0.0}, {0.0, 12.0}, {8.0, -8.0}, {-6.0, -14.0}, {25.0, 5.0}}) {
        const auto trail = Drawn(x, y, 3).common();
        ASSERT_TRUE(trail) << x << " " << y;
        const double length = std::hypot(x, y);
        EXPECT_NEAR(std::hypot(trail->x, trail->y), length, 0.2 * length);
        const double across = std::abs(trail->x * y - trail->y * x) / length;
        EXPECT_LT(across / std::hypot(trail->x, trail->y), std::sin(4.0 * 0.0174533))
            << x << " " << y;
        EXPECT_NEAR(trail->fwhm, 2.6, 1.0);
        EXPECT_GE(trail->middles.size(), 10U);
    }
}

TEST(CommonTrailTest, RoundStarsHaveNone) {
    for (std::uint32_t seed = 1; seed < 6; ++seed) {
        EXPECT_FALSE(Drawn(0.0, 0.0, seed).common()) << seed;
    }
    // Drawn out by less than their width they are elongated, and no trails.
    EXPECT_FALSE(Drawn(1.5, 0.5, 9).common());
}

/// A satellite and a galaxy have their own directions: what the stars share is nothing.
TEST(CommonTrailTest, DirectionsThatDifferAreNoTrailOfTheMount) {
    test_support::Photons photons(5);
    frame::Image image(kSide, kSide, 0.0F);
    std::vector<Peak> peaks;
    for (int i = 0; i < 24; ++i) {
        const double angle = 0.2618 * i; // all around
        photons.setBlur(2.6, 3.0, 14.0 * std::cos(angle), 14.0 * std::sin(angle));
        const double x = 40.0 + 68.0 * (i % 6);
        const int row = i / 6;
        const double y = 50.0 + 90.0 * row;
        photons.point(image, x, y, 30000.0);
        peaks.push_back({static_cast<int>(x), static_cast<int>(y), 100.0F});
    }
    for (float& v : image.pixels()) {
        v += static_cast<float>(photons.poisson(150.0));
    }
    EXPECT_FALSE(findCommonTrail(image, Background(image), peaks));
}

TEST(CommonTrailTest, TwoPatchesTellNothing) {
    EXPECT_FALSE(Drawn(12.0, 0.0, 4, 2).common());
    const frame::Image empty(100, 100, 50.0F);
    EXPECT_FALSE(findCommonTrail(empty, Background(empty), {}));
}

} // namespace
} // namespace pathmark::detect
