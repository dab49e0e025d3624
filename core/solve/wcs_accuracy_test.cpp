#include "core/solve/wcs_fit.h"
#include "simulate/optics.h"

#include <gtest/gtest.h>

#include <cmath>
#include <cstdlib>
#include <random>
#include <vector>

// Truth: the simulator's vector optics with a cubic distortion, which shares no code with the program's projection.

namespace pathmark::solve {
namespace {

constexpr int kWidth = 2000;
constexpr int kHeight = 1400;
constexpr int kNodes = 14; // of the grid along x

struct Scene {
    int stars;
    double noise;      ///< of a centroid, pixels
    double distortion; ///< pixels at the corner
    double air;        ///< arcsec that a magnitude of colour moves a star to the north
};

simulate::Optics opticsOf(const Scene& scene) {
    simulate::Optics optics;
    optics.axis = simulate::unitVector(210.0, 41.0);
    optics.arcsecPerPixel = 1.1;
    optics.rotationDegrees = 127.0;
    optics.mirrored = true;
    optics.middleX = 0.5 * (kWidth - 1);
    optics.middleY = 0.5 * (kHeight - 1);
    optics.cubic = scene.distortion / std::pow(0.5 * std::hypot(kWidth, kHeight), 3.0);
    return optics;
}

/// Pairs all over the frame with noise; one in thirty is wrong.
std::vector<StarPair>
makePairs(const Scene& scene, const simulate::Optics& optics, std::uint32_t seed) {
    std::mt19937 random(seed);
    std::uniform_real_distribution<double> offset(-0.45, 0.45);
    std::uniform_real_distribution<double> colour(0.3, 1.9);
    std::normal_distribution<double> noise(0.0, scene.noise);
    std::vector<StarPair> pairs;
    while (static_cast<int>(pairs.size()) < scene.stars) {
        const double dec = 41.0 + offset(random);
        const double ra = 210.0 + offset(random) / std::cos(41.0 * kRadiansPerDegree);
        const double c = colour(random);
        const double moved = dec + scene.air * (c - kReferenceColour) / 3600.0;
        const auto p = optics.place(simulate::unitVector(ra, moved));
        if (!p || p->x < 0.0 || p->y < 0.0 || p->x > kWidth - 1 || p->y > kHeight - 1) {
            continue;
        }
        const double wrong = pairs.size() % 30 == 7 ? 1.5 : 0.0;
        pairs.push_back({{p->x + noise(random) + wrong, p->y + noise(random)},
                         skyDegrees(ra, dec),
                         scene.noise,
                         c});
    }
    return pairs;
}

class WcsAccuracyTest : public testing::TestWithParam<Scene> {};

/// 30 draws: the mean of each node's error shows what is systematic, its scatter what the solution's own error states.
TEST_P(WcsAccuracyTest, TheSolutionIsAsGoodAsItSays) {
    const Scene& scene = GetParam();
    const auto optics = opticsOf(scene);
    constexpr int draws = 30;
    constexpr int rows = kNodes * 7 / 10;
    std::vector<double> sumX(kNodes * rows, 0.0);
    std::vector<double> sumY(kNodes * rows, 0.0);
    double chi = 0.0;
    double squares = 0.0;
    double stated = 0.0;
    for (int draw = 0; draw < draws; ++draw) {
        const auto fit = fitWcs(
            makePairs(scene, optics, 100U + static_cast<std::uint32_t>(draw)), kWidth, kHeight);
        ASSERT_TRUE(fit);
        chi += fit->chiSquare / draws;
        for (int n = 0; n < kNodes * rows; ++n) {
            const auto [row, column] = std::div(n, kNodes);
            const frame::PixelPos pixel{(column + 0.5) * kWidth / kNodes,
                                        (row + 0.5) * kHeight / rows};
            const SkyPos sky = fit->wcs.toSky(pixel);
            const auto truth =
                optics.place(simulate::unitVector(sky.longitude.degrees(), sky.latitude.degrees()));
            ASSERT_TRUE(truth);
            const double dx = pixel.x - truth->x;
            const double dy = pixel.y - truth->y;
            sumX[static_cast<std::size_t>(n)] += dx / draws;
            sumY[static_cast<std::size_t>(n)] += dy / draws;
            squares += dx * dx + dy * dy;
            stated += 2.0 * std::pow(fit->error.at(pixel), 2.0);
        }
    }
    double pattern = 0.0;
    for (std::size_t n = 0; n < sumX.size(); ++n) {
        pattern +=
            (sumX[n] * sumX[n] + sumY[n] * sumY[n]) / (2.0 * static_cast<double>(sumX.size()));
    }
    // Of the mean of the draws a thirtieth of the variance is chance.
    const double chance = squares / (2.0 * draws * static_cast<double>(sumX.size())) / draws;
    const double systematic = std::sqrt(std::max(0.0, pattern - chance));
    RecordProperty("systematic_px", std::to_string(systematic));
    RecordProperty("error_over_stated", std::to_string(std::sqrt(squares / stated)));
    RecordProperty("chi_square", std::to_string(chi));
    EXPECT_LT(systematic, 0.005);
    EXPECT_NEAR(std::sqrt(squares / stated), 1.0, 0.15);
    EXPECT_NEAR(chi, 1.0, 0.1);
}

INSTANTIATE_TEST_SUITE_P(Frames,
                         WcsAccuracyTest,
                         testing::Values(Scene{1000, 0.05, 0.0, 0.0},
                                         Scene{1000, 0.05, 6.0, 0.0},
                                         Scene{300, 0.10, 6.0, 0.0},
                                         Scene{60, 0.05, 6.0, 0.0},
                                         Scene{1000, 0.05, 6.0, 0.15}));

TEST(WcsColourTest, TheAirsShiftIsFound) {
    // Truth: 0.15 arcsec a magnitude to the north, put in above.
    const Scene scene{1500, 0.05, 3.0, 0.15};
    const auto fit = fitWcs(makePairs(scene, opticsOf(scene), 5), kWidth, kHeight);
    ASSERT_TRUE(fit);
    EXPECT_NEAR(Angle::radians(fit->colourShift.eta).arcsec(), -0.15, 0.02);
    EXPECT_NEAR(Angle::radians(fit->colourShift.xi).arcsec(), 0.0, 0.02);
    const Scene still{1500, 0.05, 3.0, 0.0};
    const auto none = fitWcs(makePairs(still, opticsOf(still), 6), kWidth, kHeight);
    ASSERT_TRUE(none);
    EXPECT_EQ(none->colourShift.eta, 0.0);
}

} // namespace
} // namespace pathmark::solve
