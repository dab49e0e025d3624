#include "core/detect/point_spread.h"

#include "core/detect/matched_filter.h"
#include "core/detect/moffat.h"

#include <gtest/gtest.h>

#include <cmath>
#include <cstdlib>
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
            // Nine points in each pixel.
            for (int k = 0; k < 9; ++k) {
                const auto [row, column] = std::div(k, 3);
                sum += std::hypot(x, y) <= 40.0
                           ? m.value(x + (column - 1) / 3.0, y + (row - 1) / 3.0) / 9.0
                           : 0.0;
            }
        }
    }
    const double alpha = 1.5 / std::sqrt(std::exp2(1.0 / beta) - 1.0);
    EXPECT_NEAR(sum, 1.0 - std::pow(1.0 + 1600.0 / (alpha * alpha), 1.0 - beta), 2e-4);
}

/// Truth: the numbers of a form taken there and back.
TEST_P(MoffatTest, FormAndProfileAreTheSame) {
    const Moffat m{0.31, 0.04, 0.27, GetParam()};
    const Moffat back = MoffatForm::of(m).profile();
    EXPECT_NEAR(back.a, m.a, 1e-12);
    EXPECT_NEAR(back.b, m.b, 1e-12);
    EXPECT_NEAR(back.c, m.c, 1e-12);
    EXPECT_NEAR(back.beta, m.beta, 1e-12);
}

INSTANTIATE_TEST_SUITE_P(Betas, MoffatTest, testing::Values(2.2, 3.0, 4.5));

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
    const auto peaks = findPoints(clean, background, {3.0, 0.0, 0.0}, 5.0F, 3);
    ASSERT_EQ(peaks.size(), 1U);
    EXPECT_EQ(peaks[0].x, 64);
    EXPECT_EQ(peaks[0].y, 60);
}

/// Truth: the plain sum over the window, written out here.
TEST(MatchedFilterTest, IsTheSumUnderAGaussian) {
    frame::Image image(150, 90);
    std::mt19937 random(5);
    std::normal_distribution<float> noise(100.0F, 3.0F);
    for (float& v : image.pixels()) {
        v = noise(random);
    }
    image.at(70, 40) = std::nanf("");
    const Background sky(image);
    const auto filtered = filterForPoints(image, sky, 2.4);
    const double sigma = 2.4 / 2.3548200450309493;
    for (const auto& [px, py] : {std::pair{70, 41}, {2, 3}, {149, 89}, {64, 63}, {130, 64}}) {
        double sum = 0.0;
        double squares = 0.0;
        for (int j = -4; j <= 4; ++j) {
            for (int i = -4; i <= 4; ++i) {
                const double k = std::exp(-0.5 * (i * i + j * j) / (sigma * sigma));
                squares += k * k;
                if (image.contains(px + i, py + j) && !std::isnan(image.at(px + i, py + j))) {
                    sum += k * static_cast<double>(image.at(px + i, py + j) -
                                                   sky.level(px + i, py + j));
                }
            }
        }
        const double expected = sum / std::sqrt(squares) / static_cast<double>(sky.noise(px, py));
        EXPECT_NEAR(static_cast<double>(filtered.at(px, py)), expected, 0.01) << px << ' ' << py;
    }
}

TEST(FindPointsTest, ThePeaksDoNotDependOnTheBands) {
    // Truth: every pixel of the filtered frame that exceeds its neighbours, looked at one by one.
    frame::Image image(300, 200);
    std::mt19937 random(6);
    std::normal_distribution<float> noise(0.0F, 1.0F);
    for (float& v : image.pixels()) {
        v = noise(random);
    }
    const Background sky(image);
    const auto filtered = filterForPoints(image, sky, 3.0);
    std::size_t expected = 0;
    for (int y = 3; y < 197; ++y) {
        for (int x = 3; x < 297; ++x) {
            bool highest = filtered.at(x, y) > 2.0F;
            for (int k = 0; k < 9; ++k) {
                highest = highest &&
                          (k == 4 || filtered.at(x + k % 3 - 1, y + k / 3 - 1) < filtered.at(x, y));
            }
            expected += highest ? 1U : 0U;
        }
    }
    EXPECT_EQ(findPoints(image, sky, {3.0, 0.0, 0.0}, 2.0F, 3).size(), expected);
}

/// Truth: the profiles themselves: the round one with the trail that drawnOut() names is as wide along and across as the ellipse it
/// came from.
TEST(DrawnOutTest, AnEllipseIsARoundProfileAndATrail) {
    EXPECT_FALSE(drawnOut(Moffat::round(3.0, 3.0)));
    const double turn = 0.6;
    // Twice as far along as across: FWHM 4.2 and 3.0.
    const double unit = 4.0 * (std::pow(2.0, 1.0 / 4.0) - 1.0);
    const double along = unit / (4.2 * 4.2);
    const double across = unit / (3.0 * 3.0);
    const double c = std::cos(turn);
    const double s = std::sin(turn);
    const Moffat ellipse{along * c * c + across * s * s,
                         (along - across) * c * s,
                         along * s * s + across * c * c,
                         4.0};
    const auto drawn = drawnOut(ellipse);
    ASSERT_TRUE(drawn);
    EXPECT_NEAR(drawn->core.fwhm(), 3.0, 1e-9);
    EXPECT_NEAR(std::remainder(std::atan2(drawn->trailY, drawn->trailX) - turn, std::numbers::pi),
                0.0,
                1e-9);
    const PointSpread made(drawn->core, drawn->trailX, drawn->trailY);
    const PointSpread own(ellipse);
    // Half of the peak is met as far out along the trail as along the ellipse.
    const auto half = [&](const PointSpread& spread, double angle) {
        double far = 0.0;
        while (spread.at(far * std::cos(angle), far * std::sin(angle)).value >
               0.5 * spread.at(0.0, 0.0).value) {
            far += 0.01;
        }
        return far;
    };
    EXPECT_NEAR(half(made, turn), half(own, turn), 0.12);
    EXPECT_NEAR(
        half(made, turn + 0.5 * std::numbers::pi), half(own, turn + 0.5 * std::numbers::pi), 0.08);
}

} // namespace
} // namespace pathmark::detect
