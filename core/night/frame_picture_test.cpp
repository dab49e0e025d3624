#include "core/night/frame_picture.h"

#include <gtest/gtest.h>

#include <cmath>

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

} // namespace
} // namespace pathmark::night
