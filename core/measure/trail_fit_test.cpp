#include "core/measure/trail_fit.h"

#include "tests/support/photons.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>
#include <utility>

// Truth: photons thrown one by one through a Moffat profile along a way of known length and direction.
namespace pathmark::measure {
namespace {

constexpr double kFwhm = 2.7;
constexpr double kSky = 120.0;
constexpr int kSide = 241;

struct Spread {
    double place = 0.0;  ///< of the middle along the trail, pixels, mean of squares
    double length = 0.0; ///< in stated errors, mean of squares
    double angle = 0.0;  ///< likewise
    double chiSquare = 0.0;
    int lost = 0;
};

Spread scatterOf(double length, double angle, double electrons, int draws) {
    test_support::Photons photons(static_cast<unsigned>(1000.0 * length + angle));
    const double radians = angle * std::numbers::pi / 180.0;
    photons.setBlur(kFwhm, 3.0, length * std::cos(radians), length * std::sin(radians));
    Spread spread;
    for (int k = 0; k < draws; ++k) {
        frame::Image image(kSide, kSide);
        for (float& v : image.pixels()) {
            v = static_cast<float>(photons.poisson(kSky) - kSky);
        }
        const frame::PixelPos middle{120.0 + photons.uniform(), 120.0 + photons.uniform()};
        photons.point(image, middle.x, middle.y, electrons);
        Picture picture;
        picture.image = &image;
        picture.shape = detect::Moffat::round(kFwhm, 3.0);
        picture.noise = std::sqrt(kSky);
        // Pointed at anywhere on it.
        const double along = 0.8 * length * (photons.uniform() - 0.5);
        const auto fit =
            fitTrail(picture,
                     {middle.x + along * std::cos(radians), middle.y + along * std::sin(radians)},
                     5.0,
                     {});
        if (!fit) {
            ++spread.lost;
            continue;
        }
        const double turned =
            std::remainder(std::atan2(fit->way.y, fit->way.x) - radians, std::numbers::pi);
        spread.length += std::pow((fit->length() - length) / fit->lengthError, 2) / draws;
        spread.angle += std::pow(turned / fit->angleError, 2) / draws;
        spread.place += std::pow((fit->middle.x - middle.x) * std::cos(radians) +
                                     (fit->middle.y - middle.y) * std::sin(radians),
                                 2) /
                        draws;
        spread.chiSquare += fit->chiSquare / draws;
    }
    return spread;
}

TEST(TrailFitTest, LengthAndDirectionAreRightWithinTheirErrors) {
    constexpr int draws = 40;
    for (const auto& [widths, angle] : {std::pair{2.0, -20.0},
                                        std::pair{6.0, 65.0},
                                        std::pair{15.0, 0.0},
                                        std::pair{30.0, 40.0}}) {
        const double length = widths * kFwhm;
        const Spread spread = scatterOf(length, angle, 3000.0 + 500.0 * length, draws);
        SCOPED_TRACE(testing::Message() << widths << " widths at " << angle);
        EXPECT_EQ(spread.lost, 0);
        EXPECT_NEAR(spread.length, 1.0, 0.6);
        EXPECT_NEAR(spread.angle, 1.0, 0.6);
        EXPECT_NEAR(spread.chiSquare, 1.0, 0.08);
        EXPECT_LT(std::sqrt(spread.place), 0.25);
    }
}

/// A trail crossed by a star of the catalogue, and one crossed by nothing, are alike.
TEST(TrailFitTest, AStarOnItIsTakenOff) {
    test_support::Photons photons(5);
    const double length = 40.0;
    photons.setBlur(kFwhm, 3.0, length, 0.0);
    frame::Image image(kSide, kSide);
    for (float& v : image.pixels()) {
        v = static_cast<float>(photons.poisson(kSky) - kSky);
    }
    photons.point(image, 120.0, 120.0, 20000.0);
    photons.setBlur(kFwhm, 3.0, 0.0, 0.0);
    photons.point(image, 131.0, 121.0, 15000.0);
    Picture picture;
    picture.image = &image;
    picture.shape = detect::Moffat::round(kFwhm, 3.0);
    picture.noise = std::sqrt(kSky);
    const std::array stars{StarNearby{{131.0, 121.0}, 15000.0}};
    const auto fit = fitTrail(picture, {118.0, 120.0}, 5.0, stars);
    ASSERT_TRUE(fit) << fit.error().detail;
    EXPECT_NEAR(fit->length(), length, 1.0);
    EXPECT_NEAR(fit->middle.x, 120.0, 0.5);
}

TEST(TrailFitTest, WhatIsNoTrailIsSaid) {
    test_support::Photons photons(6);
    frame::Image image(kSide, kSide);
    for (float& v : image.pixels()) {
        v = static_cast<float>(photons.poisson(kSky) - kSky);
    }
    Picture picture;
    picture.image = &image;
    picture.shape = detect::Moffat::round(kFwhm, 3.0);
    picture.noise = std::sqrt(kSky);
    const auto none = fitTrail(picture, {120.0, 120.0}, 2.0, {});
    ASSERT_FALSE(none);
    // A satellite from edge to edge.
    photons.setBlur(kFwhm, 3.0, 400.0, 30.0);
    photons.point(image, 120.0, 120.0, 400000.0);
    const auto endless = fitTrail(picture, {120.0, 120.0}, 5.0, {});
    ASSERT_FALSE(endless);
    EXPECT_EQ(endless.error().id, ErrorId::MeasureFitFailed);
}

} // namespace
} // namespace pathmark::measure
