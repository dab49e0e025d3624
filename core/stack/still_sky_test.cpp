#include "core/stack/still_sky.h"

#include "core/base/robust.h"
#include "tests/support/moving_frames.h"

#include <gtest/gtest.h>

namespace pathmark::stack {
namespace {

using test_support::lightAround;
using test_support::MovingFrames;
using test_support::MovingFramesPlan;
using test_support::TemporaryFolder;

WithoutStillSky taken(const MovingFrames& series, const TemporaryFolder& work) {
    auto result = takeOutStillSky({series.frames, series.sizes, series.body}, work.path(), {});
    EXPECT_TRUE(result) << (result ? "" : result.error().detail);
    return result ? std::move(*result) : WithoutStillSky{};
}

/// Residuals about the stars in units of the noise that sky and star have: their robust scatter.
double scatterAtStars(const MovingFrames& series, const WithoutStillSky& without) {
    std::vector<double> values;
    for (std::size_t i = 0; i < without.frames.size(); ++i) {
        const auto rest = frame::readFits(without.frames[i].path);
        const auto raw = frame::readFits(series.frames[i].path);
        EXPECT_TRUE(rest && raw);
        for (const SkyPos& star : series.stars) {
            const auto p = series.frames[i].place.wcs.toPixel(star);
            const int cx = static_cast<int>(std::lround(p->x));
            const int cy = static_cast<int>(std::lround(p->y));
            for (int y = cy - 2; y <= cy + 2; ++y) {
                for (int x = cx - 2; x <= cx + 2; ++x) {
                    if (rest->image.contains(x, y) && std::isfinite(rest->image.at(x, y))) {
                        values.push_back(static_cast<double>(rest->image.at(x, y)) /
                                         std::sqrt(static_cast<double>(raw->image.at(x, y))));
                    }
                }
            }
        }
    }
    return medianAndDeviation(std::move(values)).sigma;
}

/// Truth: the Poisson noise of what was painted. Seeing changes by 40 % and transparency by 30 % over the series.
TEST(StillSkyTest, StarsLeaveNoMoreThanTheirNoise) {
    const MovingFrames series;
    const TemporaryFolder work;
    const auto without = taken(series, work);
    ASSERT_EQ(without.frames.size(), series.frames.size());
    EXPECT_LT(scatterAtStars(series, without), 1.1);
    EXPECT_GT(scatterAtStars(series, without), 0.9);
    for (const double mismatch : without.mismatch) {
        EXPECT_GE(mismatch, 0.0);
        EXPECT_LT(mismatch, 0.05);
    }
}

/// The light of a star whose core is saturated is missing from the model, and what a kernel makes of the rest is wrong as far as it
/// reaches: nothing of that may stay. Truth: the noise of the photons painted. Stars of 1.6 pixels, half of them saturated.
TEST(StillSkyTest, SaturatedStarsLeaveNoRings) {
    const MovingFrames series(
        MovingFramesPlan{.stars = 60, .brightest = 3e6, .saturation = 60000.0, .bestFwhm = 1.6});
    const TemporaryFolder work;
    const auto without = taken(series, work);
    double squares = 0.0;
    double worst = 0.0;
    double count = 0.0;
    for (std::size_t i = 0; i < without.frames.size(); ++i) {
        const auto rest = frame::readFits(without.frames[i].path);
        const auto raw = frame::readFits(series.frames[i].path);
        ASSERT_TRUE(rest && raw);
        const auto body = *series.frames[i].place.wcs.toPixel(series.body[i]);
        const auto side = static_cast<std::size_t>(series.plan.side);
        for (std::size_t k = 0; k < rest->image.pixels().size(); ++k) {
            const std::size_t row = k / side;
            if (std::hypot(static_cast<double>(k - row * side) - body.x,
                           static_cast<double>(row) - body.y) < 8.0) {
                continue;
            }
            const auto value = static_cast<double>(rest->image.pixels()[k]);
            const auto own = static_cast<double>(raw->image.pixels()[k]);
            if (std::isfinite(value) && own > 1.3 * series.plan.sky) {
                squares += value * value / own;
                worst = std::max(worst, std::abs(value) / std::sqrt(own));
                count += 1.0;
            }
        }
    }
    EXPECT_GT(count, 2000.0);
    EXPECT_LT(std::sqrt(squares / count),
              std::numbers::sqrt2); // what the kernel misses, at most the noise again
    EXPECT_LT(worst, 8.0);
}

/// One stack on the body over all frames without their unmoving sky.
Result<std::vector<Layer>>
layersOnBody(const MovingFrames& series, const WithoutStillSky& without, int side) {
    Series onBody = series.series();
    onBody.frames = without.frames;
    CanvasChoice canvas;
    canvas.extent = CanvasExtent::Body;
    canvas.bodySide = side;
    return layersOf(onBody, 1, canvas);
}

/// Truth: the electrons painted, by the same circle on a picture of the body alone.
TEST(StillSkyTest, TheBodyKeepsItsLight) {
    const MovingFrames series(MovingFramesPlan{.bodyElectrons = 4000.0});
    const TemporaryFolder work;
    const auto without = taken(series, work);
    const auto layers = layersOnBody(series, without, 101);
    ASSERT_TRUE(layers);
    const Layer& layer = layers->front();
    const auto stack = stackFrames(layer.frames, layer.grid, {}, {});
    ASSERT_TRUE(stack);
    const double radius = 7.0;
    frame::Image alone(101, 101);
    simulate::paintPoint(alone, {2.7, 0.06, 30.0, 3.2}, 50.0, 50.0, 4000.0);
    const double truth = lightAround(alone, {50.0, 50.0}, radius);
    const double error = stack->noise * radius * std::sqrt(std::numbers::pi);
    EXPECT_NEAR(lightAround(stack->image, layer.grid.wcs.referencePixel, radius),
                truth,
                0.02 * truth + 2.0 * error);
    // The sky about it is empty, and as noisy as is said: in squares, which interpolation leaves alone.
    std::vector<double> squares;
    for (int y = 2; y + 6 <= 99; y += 6) {
        for (int x = 2; x + 6 <= 99; x += 6) {
            if (std::hypot(x + 2.5 - 50.0, y + 2.5 - 50.0) < 15.0) {
                continue;
            }
            double sum = 0.0;
            for (int j = y; j < y + 6; ++j) {
                for (int i = x; i < x + 6; ++i) {
                    sum += static_cast<double>(stack->image.at(i, j));
                }
            }
            squares.push_back(sum / 6.0 / stack->noise);
        }
    }
    const auto moments = medianAndDeviation(std::move(squares));
    EXPECT_NEAR(moments.centre, 0.0, 0.5);
    EXPECT_NEAR(moments.sigma, 1.0, 0.2);
}

/// The coma's light, whose brightest part covers the same sky in most frames, must not become sky.
TEST(StillSkyTest, AComaIsLeftAlone) {
    MovingFrames series(MovingFramesPlan{
        .stars = 150, .bodyElectrons = 0.0, .comaElectrons = 400000.0, .eastArcsecPerFrame = 4.0});
    for (std::size_t i = 0; i < series.frames.size(); ++i) {
        const auto at = *series.frames[i].place.wcs.toPixel(series.body[i]);
        series.frames[i].protect.push_back({at, 60.0});
    }
    const TemporaryFolder work;
    const auto without = taken(series, work);
    const auto layers = layersOnBody(series, without, 141);
    ASSERT_TRUE(layers);
    const auto stack = stackFrames(layers->front().frames, layers->front().grid, {}, {});
    ASSERT_TRUE(stack);
    frame::Image alone(141, 141);
    simulate::paintComet(alone, {2.7, 0.06, 30.0, 3.2}, 70.0, 70.0, 400000.0, {12.0, 1.0, 0.0});
    for (const double radius : {5.0, 10.0, 20.0}) {
        const double truth = lightAround(alone, {70.0, 70.0}, radius);
        EXPECT_NEAR(lightAround(stack->image, {70.0, 70.0}, radius) / truth, 1.0, 0.02) << radius;
    }
}

/// Where a coma is looked for and there is none, nothing must be left: the light of the stars that it would pass is not its own.
TEST(StillSkyTest, StarsOnTheWayDoNotBecomeComa) {
    MovingFrames series(MovingFramesPlan{.count = 24, .bodyElectrons = 0.0});
    for (std::size_t i = 0; i < series.frames.size(); ++i) {
        series.frames[i].protect.push_back(
            {*series.frames[i].place.wcs.toPixel(series.body[i]), 45.0});
    }
    const TemporaryFolder work;
    const auto without = taken(series, work);
    const auto layers = layersOnBody(series, without, 101);
    ASSERT_TRUE(layers);
    const auto stack = stackFrames(layers->front().frames, layers->front().grid, {}, {});
    ASSERT_TRUE(stack);
    const double radius = 25.0;
    const double area = std::numbers::pi * radius * radius;
    const double error = stack->noise / std::sqrt(area);
    EXPECT_NEAR(lightAround(stack->image, {50.0, 50.0}, radius) / area, 0.0, 4.0 * error);
}

/// The scatter of squares of a stack on the body, as wide as a coma.
double scatterOfSquares(const MovingFrames& series, std::vector<StackFrame> frames) {
    Series onBody = series.series();
    onBody.frames = std::move(frames);
    CanvasChoice canvas;
    canvas.extent = CanvasExtent::Body;
    canvas.bodySide = 145;
    const auto layers = layersOf(onBody, 1, canvas);
    const auto stack = stackFrames(layers->front().frames, layers->front().grid, {}, {});
    EXPECT_TRUE(stack);
    constexpr int side = 18;
    double sum = 0.0;
    double squares = 0.0;
    int count = 0;
    for (int y = 0; y + side <= 145; y += side / 2) {
        for (int x = 0; x + side <= 145; x += side / 2) {
            double light = 0.0;
            for (int k = 0; k < side * side; ++k) {
                light += static_cast<double>(stack->image.at(x + k % side, y + k / side));
            }
            sum += light;
            squares += light * light;
            ++count;
        }
    }
    return std::sqrt(squares / count - sum * sum / count / count);
}

/// What stands still is told from the very frames that it is taken out of: its own noise must not go into a coma.
/// Truth: the same photons of the sky without any star.
TEST(StillSkyTest, TheSkyTakenOutAddsLittleNoise) {
    double taken = 0.0;
    double starless = 0.0;
    for (const std::uint32_t seed : {3U, 4U, 5U}) {
        MovingFrames series(MovingFramesPlan{.count = 24,
                                             .stars = 120,
                                             .bodyElectrons = 0.0,
                                             .eastArcsecPerFrame = 4.0,
                                             .northArcsecPerFrame = -1.6,
                                             .keepsSky = true,
                                             .seed = seed});
        auto alone = series.frames;
        for (std::size_t i = 0; i < alone.size(); ++i) {
            alone[i].path = series.skyOf(i);
            series.frames[i].protect.push_back(
                {*series.frames[i].place.wcs.toPixel(series.body[i]), 45.0});
        }
        const TemporaryFolder work;
        auto result = takeOutStillSky({series.frames, series.sizes, series.body}, work.path(), {});
        ASSERT_TRUE(result);
        taken += std::pow(scatterOfSquares(series, std::move(result->frames)), 2);
        starless += std::pow(scatterOfSquares(series, std::move(alone)), 2);
    }
    EXPECT_LT(std::sqrt(taken / starless), 1.05);
}

TEST(StillSkyTest, WhatDoesNotMoveIsRefused) {
    const MovingFrames still(MovingFramesPlan{
        .count = 5, .stars = 20, .eastArcsecPerFrame = 0.2, .northArcsecPerFrame = 0.0});
    const TemporaryFolder work;
    const auto result = takeOutStillSky({still.frames, still.sizes, still.body}, work.path(), {});
    ASSERT_FALSE(result);
    EXPECT_NE(result.error().detail.find("cannot be told"), std::string::npos);
    const MovingFrames few(MovingFramesPlan{.count = 3, .stars = 20});
    EXPECT_FALSE(takeOutStillSky({few.frames, few.sizes, few.body}, work.path(), {}));
}

} // namespace
} // namespace pathmark::stack
