#include "core/detect/point_spread.h"

#include "core/detect/matched_filter.h"
#include "core/detect/moffat.h"

#include <gtest/gtest.h>

#include <cmath>
#include <random>

namespace pathmark::detect {
namespace {

class MoffatTest : public testing::TestWithParam<double> {};

/// Truth: the profile falls to half its peak at half the stated width; its integral has the closed form
/// 1 - (1 + r^2/alpha^2)^(1 - beta) within r.
TEST_P(MoffatTest, WidthAndLightAreThoseStated) {
    const double beta = GetParam();
    const Moffat m = Moffat::round(3.0, beta);
    EXPECT_NEAR(m.value(1.5, 0.0) / m.value(0.0, 0.0), 0.5, 1e-12);
    EXPECT_NEAR(m.fwhm(), 3.0, 1e-12);
    EXPECT_NEAR(m.elongation(), 1.0, 1e-12);
    double sum = 0.0;
    for (int y = -40; y <= 40; ++y) {
        for (int x = -40; x <= 40; ++x) {
            sum += std::hypot(x, y) <= 40.0 ? m.pixelMean(x, y) : 0.0;
        }
    }
    const double alpha = 1.5 / std::sqrt(std::exp2(1.0 / beta) - 1.0);
    EXPECT_NEAR(sum, 1.0 - std::pow(1.0 + 1600.0 / (alpha * alpha), 1.0 - beta), 2e-4);
}

/// Truth: central differences of the value itself.
TEST_P(MoffatTest, SlopesAreThoseOfTheValue) {
    const Moffat m{0.31, 0.04, 0.27, GetParam()};
    const double h = 1e-6;
    const auto check =
        [&](double slope, const Moffat& up, const Moffat& down, double dx, double dy) {
            EXPECT_NEAR(slope,
                        (up.pixelMean(1.3 + dx, -0.7 + dy) - down.pixelMean(1.3 - dx, -0.7 - dy)) /
                            (2.0 * h),
                        1e-8);
        };
    const auto s = m.pixelMeanSlopes(1.3, -0.7);
    EXPECT_NEAR(s.value, m.pixelMean(1.3, -0.7), 1e-15);
    check(s.dx, m, m, h, 0.0);
    check(s.dy, m, m, 0.0, h);
    check(s.a, {m.a + h, m.b, m.c, m.beta}, {m.a - h, m.b, m.c, m.beta}, 0.0, 0.0);
    check(s.b, {m.a, m.b + h, m.c, m.beta}, {m.a, m.b - h, m.c, m.beta}, 0.0, 0.0);
    check(s.c, {m.a, m.b, m.c + h, m.beta}, {m.a, m.b, m.c - h, m.beta}, 0.0, 0.0);
    check(s.beta, {m.a, m.b, m.c, m.beta + h}, {m.a, m.b, m.c, m.beta - h}, 0.0, 0.0);
}

INSTANTIATE_TEST_SUITE_P(Betas, MoffatTest, testing::Values(2.2, 3.0, 4.5));

TEST(FitMoffatTest, FindsTheShapeOfANoisyStar) {
    // Truth: the painted shape; 2e5 electrons leave well under a per cent.
    const Moffat truth{0.35, 0.05, 0.28, 3.3};
    frame::Image image(41, 41);
    std::mt19937 random(1);
    for (int y = 0; y < 41; ++y) {
        for (int x = 0; x < 41; ++x) {
            const double v = 2e5 * truth.pixelMean(x - 20.3, y - 19.8);
            std::normal_distribution<double> noise(0.0, std::sqrt(v + 100.0));
            image.at(x, y) = static_cast<float>(v + noise(random));
        }
    }
    const auto fit = fitMoffat(image, 20.0, 20.0, 10.0, Moffat::round(3.0, 3.0), true);
    ASSERT_TRUE(fit);
    EXPECT_NEAR(fit->shape.fwhm(), truth.fwhm(), 0.02);
    EXPECT_NEAR(fit->shape.elongation(), truth.elongation(), 0.02);
    EXPECT_NEAR(fit->shape.beta, 3.3, 0.15);
    EXPECT_NEAR(fit->chiSquare, 1.0, 0.35);
}

TEST(FitMoffatTest, EdgesAndEmptySkyAreRefused) {
    const frame::Image flat(41, 41, 0.0F);
    EXPECT_FALSE(fitMoffat(flat, 2.0, 20.0, 10.0, Moffat::round(3.0, 3.0), false));
}

class PointSpreadTest : public testing::TestWithParam<double> {};

/// Truth: the mean of the profile over the pixel by a 25 x 25 midpoint sum.
TEST_P(PointSpreadTest, IsTheProfileIntegratedOverThePixel) {
    Moffat m = Moffat::round(GetParam(), 3.1);
    m.a *= 1.15;
    const PointSpread spread(m);
    std::mt19937 random(2);
    std::uniform_real_distribution<double> place(-4.0, 4.0);
    const double peak = spread.at(0.0, 0.0).value;
    for (int i = 0; i < 60; ++i) {
        const double dx = place(random);
        const double dy = place(random);
        double sum = 0.0;
        for (int v = 0; v < 25; ++v) {
            for (int u = 0; u < 25; ++u) {
                sum += m.value(dx + (u + 0.5) / 25.0 - 0.5, dy + (v + 0.5) / 25.0 - 0.5);
            }
        }
        const auto sample = spread.at(dx, dy);
        EXPECT_NEAR(sample.value, sum / 625.0, 2e-3 * peak);
        EXPECT_NEAR(sample.slopeX,
                    (spread.at(dx + 1e-4, dy).value - spread.at(dx - 1e-4, dy).value) / 2e-4,
                    2e-2 * peak);
    }
}

INSTANTIATE_TEST_SUITE_P(Widths, PointSpreadTest, testing::Values(1.6, 2.5, 5.0));

TEST(PointSpreadTrailTest, KeepsItsLightAndGrowsAlongTheWay) {
    const Moffat m = Moffat::round(2.5, 3.0);
    const PointSpread still(m);
    const PointSpread moving(m, 6.0, 0.0);
    EXPECT_NEAR(moving.trailHalf(), 3.0, 1e-12);
    EXPECT_GT(moving.at(3.0, 0.0).value, 2.0 * still.at(3.0, 0.0).value);
    EXPECT_LT(moving.at(0.0, 3.0).value, still.at(0.0, 3.0).value);
    double light = 0.0;
    for (int y = -moving.radius(); y <= moving.radius(); ++y) {
        for (int x = -moving.radius(); x <= moving.radius(); ++x) {
            light += moving.at(x, y).value;
        }
    }
    EXPECT_NEAR(light, 1.0, 0.03);
}

/// Truth: the signal-to-noise of a matched filter on a Gaussian star: flux / (noise sqrt(4 pi) sigma).
TEST(MatchedFilterTest, GivesTheSignalToNoiseOfAGaussian) {
    constexpr int side = 128;
    const double sigma = 3.0 / 2.3548;
    frame::Image clean(side, side);
    std::mt19937 random(3);
    std::normal_distribution<float> noise(0.0F, 4.0F);
    frame::Image sky(side, side);
    for (float& v : sky.pixels()) {
        v = noise(random);
    }
    for (int y = 0; y < side; ++y) {
        for (int x = 0; x < side; ++x) {
            const double r2 = std::pow(x - 64.0, 2.0) + std::pow(y - 60.0, 2.0);
            clean.at(x, y) = static_cast<float>(2000.0 / (2.0 * std::numbers::pi * sigma * sigma) *
                                                std::exp(-0.5 * r2 / (sigma * sigma)));
        }
    }
    const Background background(sky);
    const auto filtered = filterForPoints(clean, background, 3.0);
    const double expected = 2000.0 / (4.0 * std::sqrt(4.0 * std::numbers::pi) * sigma);
    EXPECT_NEAR(static_cast<double>(filtered.at(64, 60)) / expected, 1.0, 0.05);
    const auto peaks = findPeaks(filtered, 5.0F, 3);
    ASSERT_EQ(peaks.size(), 1U);
    EXPECT_EQ(peaks[0].x, 64);
    EXPECT_EQ(peaks[0].y, 60);
}

TEST(FindPeaksTest, EqualNeighboursGiveOnePeakAndTheBorderNone) {
    frame::Image image(20, 20);
    image.at(8, 8) = 10.0F;
    image.at(9, 8) = 10.0F;
    image.at(1, 1) = 50.0F;
    EXPECT_EQ(findPeaks(image, 5.0F, 3).size(), 1U);
}

} // namespace
} // namespace pathmark::detect
