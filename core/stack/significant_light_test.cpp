#include "core/stack/significant_light.h"

#include "core/base/robust.h"
#include "simulate/painter.h"
#include "tests/support/moving_frames.h"

#include <gtest/gtest.h>

#include <random>

namespace pathmark::stack {
namespace {

constexpr int kSide = 320;
constexpr float kNoise = 3.0F;
constexpr double kFwhm = 2.7;

/// Stars by the simulator's profile, whose wings no fit here is told of, a galaxy, and noise.
struct Field {
    frame::Image truth{kSide, kSide};
    frame::Image seen{kSide, kSide};
    frame::Image variance{kSide, kSide, kNoise* kNoise};

    Field() {
        std::mt19937 random(5);
        std::uniform_real_distribution<double> anywhere(0.0, kSide);
        std::uniform_real_distribution<double> part(0.0, 1.0);
        for (int i = 0; i < 60; ++i) {
            const double x = anywhere(random);
            const double y = anywhere(random);
            simulate::paintPoint(truth,
                                 {kFwhm, 0.05, 30.0, 3.2},
                                 x,
                                 y,
                                 60000.0 * std::pow(10.0, -2.0 * part(random)));
        }
        simulate::paintComet(
            truth, {kFwhm, 0.05, 30.0, 3.2}, 160.0, 160.0, 40000.0, {9.0, 1.0, 0.0});
        seen = truth;
        std::normal_distribution<float> noise(0.0F, kNoise);
        for (float& v : seen.pixels()) {
            v += noise(random);
        }
    }
};

double squareMean(const frame::Image& image, int x0, int y0, int side) {
    double sum = 0.0;
    for (int y = y0; y < y0 + side; ++y) {
        for (int x = x0; x < x0 + side; ++x) {
            sum += static_cast<double>(image.at(x, y));
        }
    }
    return sum / (side * side);
}

/// Over squares as wide as a coma, where there is no more light than a third of the noise: the root mean square of what a picture is
/// off the truth, in units of what noise makes of such a square.
double excessOfSquares(const frame::Image& picture, const Field& field) {
    constexpr int side = 16;
    std::vector<double> off;
    double squares = 0.0;
    for (int y = 0; y + side <= kSide; y += side) {
        for (int x = 0; x + side <= kSide; x += side) {
            if (squareMean(field.truth, x, y, side) < 0.33 * static_cast<double>(kNoise)) {
                off.push_back(squareMean(picture, x, y, side) -
                              squareMean(field.truth, x, y, side));
            }
        }
    }
    EXPECT_GT(off.size(), 40U);
    const double level =
        medianInPlace(std::span(off)); // of the whole sky, which is another's affair
    for (const double v : off) {
        squares += (v - level) * (v - level);
    }
    return std::sqrt(squares / static_cast<double>(off.size())) /
           (static_cast<double>(kNoise) / side);
}

TEST(SignificantLightTest, TheNoiseStays) {
    const Field field;
    EXPECT_GT(excessOfSquares(field.seen, field), 0.9);
    const auto kept = significantLight(field.seen, field.variance, kFwhm);
    EXPECT_LT(excessOfSquares(kept, field), 0.6);
}

TEST(SignificantLightTest, TheLightIsKept) {
    const Field field;
    const auto kept = significantLight(field.seen, field.variance, kFwhm);
    // The galaxy, its middle and its outskirts.
    for (const int half : {4, 12}) {
        const int first = kSide / 2 - half;
        const double truth = squareMean(field.truth, first, first, 2 * half);
        const double error = static_cast<double>(kNoise) / (2.0 * half);
        EXPECT_NEAR(squareMean(kept, first, first, 2 * half), truth, 0.01 * truth + 4.0 * error)
            << half;
    }
    // Pixel by pixel, where there is light: off by no more than the noise that it had.
    std::vector<double> off;
    for (std::size_t k = 0; k < kept.pixels().size(); ++k) {
        const auto light = static_cast<double>(field.truth.pixels()[k]);
        if (light > 3.0 * static_cast<double>(kNoise)) {
            off.push_back((static_cast<double>(kept.pixels()[k]) - light) /
                          static_cast<double>(kNoise));
        }
    }
    ASSERT_GT(off.size(), 1000U);
    EXPECT_LT(medianAndDeviation(std::move(off)).sigma, 1.05);
}

TEST(SignificantLightTest, WhatHasNoValueStaysSo) {
    Field field;
    field.seen.at(40, 50) = frame::kNoValue;
    field.variance.at(40, 50) = frame::kNoValue;
    const auto kept = significantLight(field.seen, field.variance, kFwhm);
    EXPECT_TRUE(std::isnan(kept.at(40, 50)));
    EXPECT_TRUE(std::isfinite(kept.at(41, 50)));
}

} // namespace
} // namespace pathmark::stack
