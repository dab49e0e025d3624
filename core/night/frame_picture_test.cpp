#include "core/night/frame_picture.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <random>

namespace pathmark::night {
namespace {

/// Truth: means by hand; odd sides, and pixels without a value.
TEST(HalvedTest, EachPixelIsTheMeanOfWhatHasAValue) {
    frame::Image image(5, 3);
    for (int y = 0; y < 3; ++y) {
        for (int x = 0; x < 5; ++x) {
            image.at(x, y) = static_cast<float>(10 * y + x);
        }
    }
    const float nan = std::nanf("");
    image.at(2, 0) = nan;
    image.at(4, 2) = nan;
    const frame::Image half = halved(image);
    ASSERT_EQ(half.width(), 3);
    ASSERT_EQ(half.height(), 2);
    EXPECT_EQ(half.at(0, 0), 5.5F); // 0, 1, 10, 11
    EXPECT_FLOAT_EQ(half.at(1, 0), (3.0F + 12.0F + 13.0F) / 3.0F);
    EXPECT_EQ(half.at(2, 0), 9.0F);  // 4, 14
    EXPECT_EQ(half.at(0, 1), 20.5F); // 20, 21
    EXPECT_TRUE(std::isnan(half.at(2, 1)));
}

/// A mosaic RGGB of a sky of 100 with noise of 2 and two stars; each star's light above the sky in red, green and blue.
struct MadeStar {
    int x = 0; ///< of the cell
    int y = 0;
    float red = 0.0F;
    float green = 0.0F;
    float blue = 0.0F;
};

frame::Image mosaicOf(const std::vector<MadeStar>& stars, int side) {
    frame::Image mosaic(2 * side, 2 * side);
    std::mt19937 random(5);
    std::normal_distribution<float> noise(100.0F, 2.0F);
    for (float& v : mosaic.pixels()) {
        v = noise(random);
    }
    for (const MadeStar& star : stars) {
        for (int j = -4; j <= 4; ++j) {
            for (int i = -4; i <= 4; ++i) {
                const float shape = std::exp(-0.3F * static_cast<float>(i * i + j * j));
                const int x = 2 * (star.x + i);
                const int y = 2 * (star.y + j);
                mosaic.at(x, y) += star.red * shape;
                mosaic.at(x + 1, y) += star.green * shape;
                mosaic.at(x, y + 1) += star.green * shape;
                mosaic.at(x + 1, y + 1) += star.blue * shape;
            }
        }
    }
    return mosaic;
}

/// Truth: what the stars were made of. Their sum is white by choice: two stars of opposite colour and a white one.
TEST(ColoursTest, StarsHaveTheirColoursAndTheSkyHasNone) {
    const int side = 60;
    const frame::Image mosaic = mosaicOf(
        {{15, 15, 3000, 2000, 1000}, {45, 15, 1000, 2000, 3000}, {30, 45, 2000, 2000, 2000}}, side);
    const frame::Image values = calibrate::takePlane(mosaic, calibrate::Colour::Sum, "RGGB");
    const auto colours = coloursOf(values, mosaic, "RGGB");
    const auto redShare = [&](int x, int y) {
        const float sky = 400.0F; // of the sum of four
        return static_cast<double>(colours.red.at(x, y) - sky) /
               static_cast<double>(colours.blue.at(x, y) - sky);
    };
    EXPECT_NEAR(redShare(15, 15), 3.0, 0.1);
    EXPECT_NEAR(redShare(45, 15), 1.0 / 3.0, 0.02);
    EXPECT_NEAR(redShare(30, 45), 1.0, 0.02);
    double most = 0.0;
    for (int y = 25; y < 35; ++y) {
        for (int x = 5; x < 15; ++x) {
            most = std::max(
                most, static_cast<double>(std::abs(colours.red.at(x, y) - colours.blue.at(x, y))));
            // What is shown in grey stays the mean of what is shown in colour.
            const float mean =
                (colours.red.at(x, y) + colours.green.at(x, y) + colours.blue.at(x, y)) / 3.0F;
            EXPECT_NEAR(mean, values.at(x, y), 1e-3F);
        }
    }
    EXPECT_LT(most, 2.0) << "the noise of the sum is 4";
}

/// A camera twice as sensitive in green, under a sky that is blue.
TEST(ColoursTest, NeitherTheCameraNorTheSkyColoursTheFieldAsAWhole) {
    frame::Image mosaic = mosaicOf({{15, 15, 2000, 2000, 2000}, {40, 40, 3000, 3000, 3000}}, 60);
    for (int y = 0; y < mosaic.height(); ++y) {
        for (int x = 0; x < mosaic.width(); ++x) {
            const bool green = (x + y) % 2 == 1;
            const bool blue = x % 2 == 1 && y % 2 == 1;
            mosaic.at(x, y) = (green ? 2.0F : 1.0F) * mosaic.at(x, y) + (blue ? 150.0F : 0.0F);
        }
    }
    const frame::Image values = calibrate::takePlane(mosaic, calibrate::Colour::Sum, "RGGB");
    const auto colours = coloursOf(values, mosaic, "RGGB");
    const float white = colours.green.at(15, 15);
    EXPECT_NEAR(colours.red.at(15, 15) / white, 1.0F, 0.02F);
    EXPECT_NEAR(colours.blue.at(15, 15) / white, 1.0F, 0.02F);
}

/// A map of counts has no sky: all of it is to be seen, also where it is one number, or nothing.
TEST(WholeRangeTest, ReachesFromTheSmallestToTheLargestValue) {
    frame::Image map(3, 2, 2.0F);
    map.at(1, 1) = 9.0F;
    map.at(2, 0) = std::numeric_limits<float>::quiet_NaN();
    EXPECT_FLOAT_EQ(wholeRange(map).low, 2.0F);
    EXPECT_FLOAT_EQ(wholeRange(map).high, 9.0F);
    EXPECT_FLOAT_EQ(wholeRange(frame::Image(2, 2, 1.0F)).low, 0.0F) << "full coverage is white";
    EXPECT_FLOAT_EQ(wholeRange(frame::Image(2, 2, 1.0F)).high, 1.0F);
    EXPECT_LT(wholeRange(frame::Image(2, 2)).low, wholeRange(frame::Image(2, 2)).high);
}

} // namespace
} // namespace pathmark::night
