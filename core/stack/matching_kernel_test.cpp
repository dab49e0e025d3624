#include "core/stack/matching_kernel.h"

#include <gtest/gtest.h>

#include <cmath>
#include <numbers>
#include <random>

namespace pathmark::stack {
namespace {

constexpr int kSide = 31;

/// A star of Gaussian light; its integral over each pixel is exact (error functions). What one Gaussian becomes under a blur is known
/// exactly too: the squares of the widths add.
void paintGaussian(frame::Image& image, double x, double y, double sigma, double electrons) {
    const auto share = [&](double at, double from) {
        const double scale = 1.0 / (sigma * std::numbers::sqrt2);
        return 0.5 * (std::erf((from + 0.5 - at) * scale) - std::erf((from - 0.5 - at) * scale));
    };
    for (int j = 0; j < image.height(); ++j) {
        for (int i = 0; i < image.width(); ++i) {
            image.at(i, j) += static_cast<float>(electrons * share(x, i) * share(y, j));
        }
    }
}

struct Stars {
    double pictureSigma = 1.6;
    double modelSigma = 1.2;
    double growth = 0.0; ///< of the picture's sigma from the left edge of the frame to the right
    double ratio = 0.8;  ///< light in the picture over light in the model
    double shift = 0.15; ///< of the picture, pixels in x
    double noise = 3.0;
};

std::vector<MatchingKernel::Stamp> stampsOf(const Stars& stars, int half, int count = 120) {
    std::mt19937 random(11);
    std::uniform_real_distribution<double> anywhere(20.0, 980.0);
    std::uniform_real_distribution<double> part(-0.5, 0.5);
    std::uniform_real_distribution<double> light(3.7, 4.8);
    std::normal_distribution<double> noise(0.0, stars.noise);
    std::vector<MatchingKernel::Stamp> stamps;
    for (int i = 0; i < count; ++i) {
        MatchingKernel::Stamp stamp{
            {anywhere(random), anywhere(random)},
            frame::Image(kSide, kSide, 0.0F),
            frame::Image(kSide + 2 * half, kSide + 2 * half, 0.0F),
        };
        const double x = 0.5 * (kSide - 1) + part(random);
        const double y = 0.5 * (kSide - 1) + part(random);
        const double electrons = std::pow(10.0, light(random));
        const double sigma = stars.pictureSigma * (1.0 + stars.growth * stamp.centre.x / 1000.0);
        paintGaussian(stamp.picture, x + stars.shift, y, sigma, stars.ratio * electrons);
        paintGaussian(stamp.model, x + half, y + half, stars.modelSigma, electrons);
        for (float& v : stamp.picture.pixels()) {
            v += static_cast<float>(noise(random));
        }
        stamps.push_back(std::move(stamp));
    }
    return stamps;
}

struct Moments {
    double sum = 0.0;
    double x = 0.0;
    double y = 0.0;
    double xx = 0.0;
    double yy = 0.0;
};

Moments momentsOf(const std::vector<float>& kernel, int half) {
    Moments m;
    const int side = 2 * half + 1;
    for (int j = 0; j < side; ++j) {
        for (int i = 0; i < side; ++i) {
            const auto v = static_cast<double>(kernel[static_cast<std::size_t>(j * side + i)]);
            m.sum += v;
            m.x += v * (i - half);
            m.y += v * (j - half);
        }
    }
    m.x /= m.sum;
    m.y /= m.sum;
    for (int j = 0; j < side; ++j) {
        for (int i = 0; i < side; ++i) {
            const auto v =
                static_cast<double>(kernel[static_cast<std::size_t>(j * side + i)]) / m.sum;
            m.xx += v * std::pow(i - half - m.x, 2);
            m.yy += v * std::pow(j - half - m.y, 2);
        }
    }
    return m;
}

TEST(MatchingKernelTest, LightPlaceAndWidthAreThoseOfTheBlurBetween) {
    const Stars stars;
    MatchingKernel kernel(2.355 * stars.pictureSigma, 1000, 1000);
    ASSERT_TRUE(kernel.fit(stampsOf(stars, kernel.half()), stars.noise));
    const Moments m = momentsOf(kernel.at({500.0, 500.0}), kernel.half());
    EXPECT_NEAR(m.sum, stars.ratio, 0.002);
    EXPECT_NEAR(std::abs(m.x), stars.shift, 0.01);
    EXPECT_NEAR(m.y, 0.0, 0.01);
    const double added = std::pow(stars.pictureSigma, 2) - std::pow(stars.modelSigma, 2);
    EXPECT_NEAR(m.xx, added, 0.06);
    EXPECT_NEAR(m.yy, added, 0.06);
    EXPECT_LT(kernel.mismatch(), 0.01);
}

TEST(MatchingKernelTest, TheBlurMayGrowOverTheFrame) {
    Stars stars;
    stars.growth = 0.2;
    MatchingKernel kernel(2.355 * stars.pictureSigma, 1000, 1000);
    ASSERT_TRUE(kernel.fit(stampsOf(stars, kernel.half(), 200), stars.noise));
    for (const double x : {100.0, 500.0, 900.0}) {
        const double sigma = stars.pictureSigma * (1.0 + stars.growth * x / 1000.0);
        const Moments m = momentsOf(kernel.at({x, 400.0}), kernel.half());
        EXPECT_NEAR(m.sum, stars.ratio, 0.006) << x;
        EXPECT_NEAR(m.xx, sigma * sigma - std::pow(stars.modelSigma, 2), 0.15) << x;
    }
}

/// Stars that vary, bodies and particle hits fit no kernel: they change nothing.
TEST(MatchingKernelTest, WhatFitsNoKernelIsLeftOut) {
    const Stars stars;
    MatchingKernel clean(2.355 * stars.pictureSigma, 1000, 1000);
    MatchingKernel spoilt = clean;
    auto stamps = stampsOf(stars, clean.half());
    ASSERT_TRUE(clean.fit(stamps, stars.noise));
    for (std::size_t i = 0; i < stamps.size(); i += 10) {
        if (i % 20 == 0) {
            // Three times as bright as it should be.
            for (float& v : stamps[i].picture.pixels()) {
                v *= 3.0F;
            }
        } else {
            stamps[i].picture.at(15, 18) += 60000.0F; // a particle
        }
    }
    ASSERT_TRUE(spoilt.fit(stamps, stars.noise));
    const Moments a = momentsOf(clean.at({500.0, 500.0}), clean.half());
    const Moments b = momentsOf(spoilt.at({500.0, 500.0}), spoilt.half());
    EXPECT_NEAR(b.sum, a.sum, 0.003);
    EXPECT_NEAR(b.xx, a.xx, 0.06);
    EXPECT_NEAR(b.x, a.x, 0.01);
}

TEST(MatchingKernelTest, PixelsWithoutAValueDoNotCount) {
    const Stars stars;
    MatchingKernel kernel(2.355 * stars.pictureSigma, 1000, 1000);
    auto stamps = stampsOf(stars, kernel.half());
    for (auto& stamp : stamps) {
        stamp.picture.at(14, 15) = std::nanf("");
        stamp.picture.at(3, 7) = std::nanf("");
    }
    ASSERT_TRUE(kernel.fit(stamps, stars.noise));
    EXPECT_NEAR(momentsOf(kernel.at({500.0, 500.0}), kernel.half()).sum, stars.ratio, 0.003);
}

TEST(MatchingKernelTest, TooFewStarsGiveNone) {
    MatchingKernel kernel(3.0, 1000, 1000);
    EXPECT_FALSE(kernel.fit({}, 3.0));
    EXPECT_FALSE(kernel.fit(stampsOf({}, kernel.half(), 2), 3.0));
}

} // namespace
} // namespace pathmark::stack
