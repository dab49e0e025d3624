#include "core/measure/fixed_place.h"

#include "tests/support/photons.h"

#include <gtest/gtest.h>

#include <cmath>

namespace pathmark::measure {
namespace {

/// Truth: photons thrown one by one. Of many places with the same faint light the mean is that light, and what is stated scatters by one.
TEST(FixedPlaceTest, LightAndItsErrorHoldDownToNothing) {
    test_support::Photons photons(31);
    photons.setBlur(2.8, 3.0, 0.0, 0.0);
    for (const double electrons : {0.0, 400.0}) {
        constexpr double sky = 100.0;
        double mean = 0.0;
        double chi = 0.0;
        constexpr int tries = 80;
        for (int k = 0; k < tries; ++k) {
            frame::Image image(31, 31);
            for (float& v : image.pixels()) {
                v = static_cast<float>(photons.poisson(sky) - sky);
            }
            const double x = 15.0 + photons.uniform() - 0.5;
            const double y = 15.0 + photons.uniform() - 0.5;
            photons.point(image, x, y, electrons);
            Picture picture;
            picture.image = &image;
            picture.shape = detect::Moffat::round(2.8, 3.0);
            picture.noise = std::sqrt(sky);
            const auto light = lightAt(picture, {}, {x, y});
            ASSERT_TRUE(light);
            mean += light->flux / tries;
            chi += std::pow((light->flux - electrons) / light->fluxError, 2) / tries;
        }
        EXPECT_NEAR(mean, electrons, 15.0) << electrons; // 3 sigma of the mean of 80
        EXPECT_NEAR(chi, 1.0, 0.45) << electrons;
    }
}

TEST(FixedPlaceTest, TheEdgeIsRefused) {
    const frame::Image image(31, 31);
    Picture picture;
    picture.image = &image;
    picture.shape = detect::Moffat::round(2.8, 3.0);
    EXPECT_EQ(lightAt(picture, {}, {-2.0, 15.0}).error().id, ErrorId::MeasureOutside);
}

} // namespace
} // namespace pathmark::measure
