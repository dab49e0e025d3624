#include "core/detect/without_stars.h"

#include <gtest/gtest.h>

#include <limits>
#include <random>

namespace pathmark::detect {
namespace {

/// Sky of 200 electrons without a star; what is wrong with it is laid over it.
frame::Image sky() {
    frame::Image image(300, 200);
    std::mt19937 random(5);
    std::normal_distribution<float> level(200.0F, 15.0F);
    for (float& v : image.pixels()) {
        v = level(random);
    }
    return image;
}

TEST(WithoutStarsTest, AFrameOfOneValueIsSaid) {
    EXPECT_NE(withoutStars(frame::Image(300, 200), {}).find("Every pixel is 0"), std::string::npos);
}

TEST(WithoutStarsTest, SaturationIsSaidWithItsShare) {
    frame::Image image = sky();
    auto pixels = image.pixels();
    for (std::size_t i = 0; i < pixels.size(); i += 2) {
        pixels[i] = 65535.0F;
    }
    const std::string words = withoutStars(image, 65535.0);
    EXPECT_NE(words.find("50 % of the pixels are saturated"), std::string::npos) << words;
}

TEST(WithoutStarsTest, PixelsWithoutAValueAreSaidWithTheirShare) {
    frame::Image image = sky();
    auto pixels = image.pixels();
    for (std::size_t i = 0; i < pixels.size(); i += 50) {
        pixels[i] = i % 100 == 0 ? std::numeric_limits<float>::quiet_NaN()
                                 : std::numeric_limits<float>::infinity();
    }
    const std::string words = withoutStars(image, {});
    EXPECT_NE(words.find("2.0 % of the pixels have no value"), std::string::npos) << words;
    std::fill(pixels.begin(), pixels.end(), std::numeric_limits<float>::quiet_NaN());
    EXPECT_NE(withoutStars(image, {}).find("No pixel has a value"), std::string::npos);
}

TEST(WithoutStarsTest, AFrameOfAFewLevelsIsSaid) {
    frame::Image image = sky();
    for (float& v : image.pixels()) {
        v = std::min(v, 205.0F) > 200.0F ? 255.0F - (v > 210.0F ? 1.0F : 0.0F)
            : v > 190.0F                 ? 190.0F
                                         : 180.0F;
    }
    const std::string words = withoutStars(image, {});
    EXPECT_NE(words.find("only 4 different values"), std::string::npos) << words;
}

TEST(WithoutStarsTest, AnOrdinarySkyIsCloudedForAllThePixelsTell) {
    EXPECT_NE(withoutStars(sky(), 65535.0).find("clouded"), std::string::npos);
}

} // namespace
} // namespace pathmark::detect
