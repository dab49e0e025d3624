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

/// Truth: photons. Six times as bright a star stands one width away, its light and place known as well as a catalogue and a solution have
/// them: what that leaves open is in the error.
TEST(FixedPlaceTest, ABrightStarBesideItIsInTheError) {
    test_support::Photons photons(33);
    photons.setBlur(2.8, 3.0, 0.0, 0.0);
    constexpr double sky = 100.0;
    constexpr double electrons = 4000.0;
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
        photons.point(image, x + 2.8, y, 6.3 * electrons);
        Picture picture;
        picture.image = &image;
        picture.shape = detect::Moffat::round(2.8, 3.0);
        picture.noise = std::sqrt(sky);
        picture.solutionErrorPixels = 0.04;
        Target target;
        target.neighbours.push_back({{x + 2.8 + photons.normal(0.04), y + photons.normal(0.04)},
                                     6.3 * electrons * (1.0 + photons.normal(0.05)),
                                     0.0});
        const auto light = lightAt(picture, target, {x, y});
        ASSERT_TRUE(light);
        chi += std::pow((light->flux - electrons) / light->fluxError, 2) / tries;
    }
    EXPECT_NEAR(chi, 1.0, 0.45);
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
