#include "core/detect/blends.h"

#include "tests/support/photons.h"

#include <gtest/gtest.h>

#include <cmath>

// Stars that share their light. Truth: where the photons were sent, and how many.
namespace pathmark::detect {
namespace {

constexpr int kSide = 64;
constexpr double kFwhm = 3.0;
constexpr double kBeta = 3.0;
constexpr double kSky = 200.0;
constexpr int kHalf = 12;

PointSpreadField spread() {
    return PointSpreadField({MoffatForm::of(Moffat::round(kFwhm, kBeta)), 0.0, 0.0, 1, 1, {}});
}

struct Star {
    double x;
    double y;
    double electrons;
};

frame::Image painted(const std::vector<Star>& stars, std::uint32_t seed) {
    test_support::Photons photons(seed);
    photons.setBlur(kFwhm, kBeta, 0.0, 0.0);
    frame::Image image(kSide, kSide, 0.0F);
    for (const Star& star : stars) {
        photons.point(image, star.x, star.y, star.electrons);
    }
    for (float& v : image.pixels()) {
        v += static_cast<float>(photons.poisson(kSky));
    }
    return image;
}

StarWindow windowOf(const frame::Image& image) {
    StarWindow window(kHalf);
    window.take(image, Background(image), 32, 32, std::nullopt);
    return window;
}

Source source(double x, double y, double flux) {
    Source made;
    made.x = x;
    made.y = y;
    made.flux = flux;
    return made;
}

/// Half a width apart neither is a star of its own to the eye; a fit of both at once gives each its place and light, and errors that
/// hold.
TEST(FitTogetherTest, PlacesAndLightHoldWithinTheirErrors) {
    for (const double apart : {0.8 * kFwhm, 1.2 * kFwhm, 2.0 * kFwhm}) {
        double chi = 0.0;
        int count = 0;
        for (std::uint32_t seed = 1; seed <= 60; ++seed) {
            const double angle = 0.37 * seed;
            const std::vector<Star> stars{
                {32.2, 31.9, 30000.0},
                {32.2 + apart * std::cos(angle), 31.9 + apart * std::sin(angle), 12000.0}};
            const auto image = painted(stars, seed);
            std::vector<Source> members{source(32.0, 32.0, 25000.0),
                                        source(stars[1].x + 0.4, stars[1].y - 0.3, 8000.0)};
            if (!fitTogether(members, spread(), 32, 32, windowOf(image))) {
                continue;
            }
            for (std::size_t k = 0; k < 2; ++k) {
                chi += std::pow((members[k].x - stars[k].x) / members[k].xError, 2) +
                       std::pow((members[k].y - stars[k].y) / members[k].yError, 2) +
                       std::pow((members[k].flux - stars[k].electrons) / members[k].fluxError, 2);
                count += 3;
            }
        }
        EXPECT_GE(count, 6 * 57) << apart; // at most three refused
        // The window's sky is measured beside the stars, whose wings lift it a little: 1.25 for 1.
        EXPECT_GT(chi / count, 0.75) << apart;
        EXPECT_LT(chi / count, 1.35) << apart;
    }
}

TEST(FitTogetherTest, AMemberThatIsNotThereIsRefusedAndNothingChanges) {
    const auto image = painted({{32.0, 32.0, 3000.0}}, 5);
    std::vector<Source> members{source(32.0, 32.0, 3000.0), source(41.0, 40.0, 3000.0)};
    const std::vector<Source> before = members;
    if (!fitTogether(members, spread(), 32, 32, windowOf(image))) {
        for (std::size_t k = 0; k < 2; ++k) {
            EXPECT_EQ(members[k].x, before[k].x);
            EXPECT_EQ(members[k].flux, before[k].flux);
        }
    } else {
        EXPECT_LT(members[1].snr, 4.0) << "light where there is none";
    }
}

TEST(FindCompanionTest, AFainterStarUnderTheFirstIsFound) {
    int found = 0;
    for (std::uint32_t seed = 1; seed <= 20; ++seed) {
        const auto image = painted({{32.0, 32.0, 40000.0}, {36.0, 34.0, 12000.0}}, seed);
        const auto companion =
            findCompanion(source(32.0, 32.0, 40000.0), spread(), 32, 32, windowOf(image), 8.0);
        if (companion && std::hypot(companion->x - 36.0, companion->y - 34.0) < 1.6) {
            EXPECT_NEAR(companion->flux, 12000.0, 2500.0);
            ++found;
        }
    }
    EXPECT_EQ(found, 20);
}

TEST(FindCompanionTest, AStarAloneHasNone) {
    for (std::uint32_t seed = 100; seed < 130; ++seed) {
        const auto image = painted({{32.3, 31.8, 40000.0}}, seed);
        EXPECT_FALSE(
            findCompanion(source(32.3, 31.8, 40000.0), spread(), 32, 32, windowOf(image), 8.0))
            << seed;
    }
}

TEST(TakeOffSourceTest, LeavesTheSkyAndItsNoise) {
    const auto image = painted({{32.3, 31.8, 20000.0}}, 8);
    StarWindow window = windowOf(image);
    takeOffSource(source(32.3, 31.8, 20000.0), spread(), 32, 32, window);
    double chi = 0.0;
    int count = 0;
    for (int dy = -kHalf; dy <= kHalf; ++dy) {
        for (int dx = -kHalf; dx <= kHalf; ++dx) {
            const double apart = std::hypot(dx - 0.3, dy + 0.2);
            const double core = 0.5 * kFwhm / std::sqrt(std::pow(2.0, 1.0 / kBeta) - 1.0);
            // The middle of a pixel for the pixel: good to some per cent, enough for a variance.
            const double light = 20000.0 * (kBeta - 1.0) / (std::numbers::pi * core * core) *
                                 std::pow(1.0 + apart * apart / (core * core), -kBeta);
            const auto left = static_cast<double>(window.data()[window.index(dx, dy)]);
            chi += left * left / (kSky + light);
            ++count;
        }
    }
    EXPECT_NEAR(chi / count, 1.0, 0.25);
}

/// Truth: every distance reckoned.
TEST(NeighbourGridTest, TellsWhoIsNear) {
    std::vector<Source> sources;
    test_support::Photons random(2);
    for (int i = 0; i < 300; ++i) {
        sources.push_back(source(200.0 * random.uniform(), 200.0 * random.uniform(), 1.0));
    }
    const NeighbourGrid grid(sources, 9.0);
    for (std::size_t self = 0; self < sources.size(); ++self) {
        std::vector<std::size_t> expected;
        for (std::size_t k = 0; k < sources.size(); ++k) {
            if (k != self &&
                std::hypot(sources[k].x - sources[self].x, sources[k].y - sources[self].y) < 14.0) {
                expected.push_back(k);
            }
        }
        ASSERT_EQ(grid.within(self, 14.0), expected);
        EXPECT_TRUE(grid.anyWithin(sources[self].x + 1.0, sources[self].y, 1.5));
    }
    EXPECT_FALSE(grid.anyWithin(1000.0, 1000.0, 20.0));
}

} // namespace
} // namespace pathmark::detect
