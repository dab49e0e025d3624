#include "core/measure/fit_picture.h"

#include "tests/support/photons.h"

#include <gtest/gtest.h>

#include <cmath>

namespace pathmark::measure {
namespace {

/// Truth: photons of a point and a brighter star beside it on a sky that is not quite taken off. With the right light nothing but noise is
/// left; with half of it the body's other half stands out in its middle.
TEST(FitPictureTest, WhatIsLeftOfARightFitIsNoise) {
    test_support::Photons photons(5);
    photons.setBlur(2.8, 3.0, 0.0, 0.0);
    constexpr double sky = 150.0;
    frame::Image image(61, 61);
    for (float& v : image.pixels()) {
        v = static_cast<float>(photons.poisson(sky) - sky + 12.0);
    }
    photons.point(image, 30.3, 29.8, 8000.0);
    photons.point(image, 35.1, 31.0, 20000.0);
    Picture picture;
    picture.image = &image;
    picture.noise = std::sqrt(sky);
    const detect::PointSpread spread(detect::Moffat::round(2.8, 3.0), 0.0, 0.0, 40);
    const PointForms forms{spread, spread};
    const std::vector<StarNearby> star{{{35.1, 31.0}, 20000.0, 0.0}};
    const auto right = fitPicture(picture, forms, {30.3, 29.8}, 8000.0, star, 15);
    double squares = 0.0;
    for (const float v : right.left.pixels()) {
        squares += std::pow(static_cast<double>(v), 2);
    }
    EXPECT_NEAR(squares / 961.0, 1.0, 0.14); // 3 sigma of 961 squares
    EXPECT_NEAR(static_cast<double>(right.data.at(15, 15) - right.model.at(15, 15)), 0.0, 150.0);
    const auto half = fitPicture(picture, forms, {30.3, 29.8}, 4000.0, star, 15);
    EXPECT_GT(half.left.at(15, 15), 10.0F);
}

TEST(FitPictureTest, BeyondTheEdgeThereIsNothing) {
    const frame::Image image(31, 31);
    Picture picture;
    picture.image = &image;
    const detect::PointSpread spread(detect::Moffat::round(2.8, 3.0));
    const auto drawn = fitPicture(picture, {spread, spread}, {1.0, 15.0}, 100.0, {}, 5);
    EXPECT_TRUE(std::isnan(drawn.data.at(0, 5)));
    EXPECT_TRUE(std::isnan(drawn.left.at(0, 5)));
    EXPECT_TRUE(std::isfinite(drawn.left.at(5, 5)));
}

} // namespace
} // namespace pathmark::measure
