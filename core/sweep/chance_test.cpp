#include "core/sweep/chance.h"

#include "tests/support/photons.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <random>
#include <vector>

namespace pathmark::sweep {
namespace {

/// Heights drawn from E(> s) = (s / s0)^3 exp(-b (s^2 - s0^2) / 2) by halving the interval: the law itself, not its likelihood.
std::vector<double> drawn(double from, double slope, int count) {
    test_support::Photons random(5);
    std::vector<double> heights;
    for (int k = 0; k < count; ++k) {
        const double share = random.uniform();
        double low = from;
        double high = 3.0 * from;
        for (int round = 0; round < 50; ++round) {
            const double s = 0.5 * (low + high);
            const double beyond =
                std::pow(s / from, 3.0) * std::exp(-0.5 * slope * (s * s - from * from));
            (beyond > share ? low : high) = s;
        }
        heights.push_back(low);
    }
    return heights;
}

TEST(ChanceTest, SlopeAndNumberAreThoseThatWereDrawn) {
    for (const double slope : {1.0, 0.6}) {
        const auto heights = drawn(5.0, slope, 2000);
        const Chance chance(heights, 5.0, 0.1);
        EXPECT_NEAR(chance.slope(), slope, 0.05);
        EXPECT_NEAR(chance.log10Expected(5.0), std::log10(20000.0), 1e-9);
        const double expected =
            20000.0 * std::pow(6.5 / 5.0, 3.0) * std::exp(-0.5 * slope * (6.5 * 6.5 - 25.0));
        EXPECT_NEAR(chance.log10Expected(6.5), std::log10(expected), 0.25);
    }
}

TEST(ChanceTest, TheThresholdIsWhereSoManyAreExpected) {
    const Chance chance(drawn(5.0, 0.9, 500), 5.0, 0.1);
    EXPECT_NEAR(chance.log10Expected(chance.threshold(0.1)), -1.0, 1e-6);
    EXPECT_LT(chance.threshold(10.0), chance.threshold(0.1));
}

/// Truth: a line of so many independent numbers with normal errors, drawn 20 000 times: how often the highest is above the threshold.
TEST(ChanceTest, OnALineChanceReachesAsHighAsStated) {
    std::mt19937 random(3);
    std::normal_distribution<double> normal;
    constexpr int lines = 20000;
    for (const int sums : {1, 8, 40}) {
        const double threshold = Chance::gaussian(sums, 1).threshold(0.01);
        int above = 0;
        for (int k = 0; k < lines; ++k) {
            double most = -10.0;
            for (int i = 0; i < sums; ++i) {
                most = std::max(most, normal(random));
            }
            above += most > threshold ? 1 : 0;
        }
        // The law of a high level is a little above what truly comes; it is never much below.
        EXPECT_LT(above, 1.25 * 0.01 * lines) << sums;
        EXPECT_GT(above, 0.4 * 0.01 * lines) << sums;
    }
}

/// Where nothing was seen, one may have been.
TEST(ChanceTest, WithoutPeaksTheNumberIsNoLessThanOne) {
    const Chance chance({}, 5.0, 0.1);
    EXPECT_NEAR(chance.log10Expected(5.0), 1.0, 1e-9);
}

} // namespace
} // namespace pathmark::sweep
