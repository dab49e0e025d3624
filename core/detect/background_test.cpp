#include "core/detect/background.h"

#include "core/detect/detect.h"

#include <gtest/gtest.h>

#include <cmath>
#include <random>

namespace pathmark::detect {
namespace {

constexpr double kStep = 20.0;

/// Noise rounded to steps; a flat field afterwards makes neighbours of one number differ a little.
frame::Image roundedNoise(double sigma, double flatScatter, unsigned seed) {
    std::mt19937 random(seed);
    std::normal_distribution<double> noise(3.3 * kStep, sigma);
    std::normal_distribution<double> flat(1.0, flatScatter);
    frame::Image image(320, 256);
    for (float& v : image.pixels()) {
        v = static_cast<float>(kStep * std::round(noise(random) / kStep) / flat(random));
    }
    return image;
}

/// Truth: the variance of the noise and of the rounding, step^2 / 12 (Widrow & Kollar 2008, Quantization Noise, sec. 4), as long as
/// the noise is not much narrower than a step.
TEST(BackgroundTest, StepsWiderThanTheNoiseDoNotHideIt) {
    for (const double flat : {0.0, 0.004, 0.01}) {
        for (const double sigma : {0.45 * kStep, 0.6 * kStep, 1.5 * kStep}) {
            const auto image = roundedNoise(sigma, flat, 5);
            const double truth = std::hypot(sigma, kStep / std::sqrt(12.0));
            EXPECT_NEAR(Background(image).typicalNoise() / truth, 1.0, 0.06)
                << sigma << " " << flat;
        }
    }
}

/// Where hardly a pixel leaves its step, one that does is no source.
TEST(BackgroundTest, ASingleStepIsNoSource) {
    for (const double sigma : {0.2 * kStep, 0.25 * kStep, 0.3 * kStep}) {
        auto image = roundedNoise(sigma, 0.004, 7);
        EXPECT_GE(Background(image).typicalNoise(), 0.3 * kStep) << sigma;
        // A few stars, from which the shape is learned.
        for (int k = 0; k < 12; ++k) {
            for (int y = -6; y <= 6; ++y) {
                for (int x = -6; x <= 6; ++x) {
                    image.at(20 + 24 * k + x, 20 + (37 * k) % 210 + y) += static_cast<float>(
                        kStep * std::round(60.0 * std::exp(-0.5 * (x * x + y * y) / 1.7)));
                }
            }
        }
        const auto found = detectSources(image, {});
        ASSERT_TRUE(found);
        EXPECT_GE(found->sources.size(), 12U);
        EXPECT_LE(found->sources.size(), 16U) << sigma;
    }
}

/// A border without light is dark on one side only: the noise beside it is that of the sky.
TEST(BackgroundTest, ADarkBorderIsNoStep) {
    std::mt19937 random(3);
    std::normal_distribution<float> noise(500.0F, 10.0F);
    frame::Image image(256, 256);
    for (int y = 0; y < 256; ++y) {
        for (int x = 0; x < 256; ++x) {
            image.at(x, y) = x < 12 ? 0.0F : noise(random);
        }
    }
    EXPECT_NEAR(Background(image).noise(30.0, 128.0), 10.0, 0.8);
}

} // namespace
} // namespace pathmark::detect
