#include "core/night/linear_picture.h"

#include "tests/support/moving_frames.h"

#include <gtest/gtest.h>

namespace pathmark::night {
namespace {

picture::ColourPicture planesOf(bool isGrey, int width, int height, float first) {
    picture::ColourPicture picture;
    picture.isGrey = isGrey;
    float value = first;
    for (auto& plane : picture.planes) {
        plane = frame::Image(width, height, value);
        value += isGrey ? 0.0F : 1.0F;
    }
    return picture;
}

LinearPicture made(bool isGrey) {
    LinearPicture picture;
    picture.wcs = test_support::turnedWcs(20.0, {30.0, 20.0});
    picture.layers.whole = planesOf(isGrey, 60, 40, 1.0F);
    picture.layers.stars = planesOf(isGrey, 60, 40, 11.0F);
    picture.layers.noise = {{0.5, 0.6, 0.7}, {0.1, 0.2, 0.3}};
    picture.layers.average = {0.8, 1.0, 1.2};
    picture.sky = planesOf(isGrey, 4, 3, 100.0F);
    picture.extent = frame::Image(4, 3, 1.0F);
    picture.body = picture.wcs.toSky({33.0, 12.0});
    picture.path = {picture.wcs.toSky({10.0, 10.0}), picture.wcs.toSky({50.0, 20.0})};
    return picture;
}

TEST(LinearPictureTest, ComesBackAsItWasWritten) {
    const test_support::TemporaryFolder folder;
    for (const bool isGrey : {false, true}) {
        const auto path = folder / "picture.fits";
        const LinearPicture picture = made(isGrey);
        ASSERT_TRUE(writeLinear(
            path, picture, {"C/2034 E4", "2034-02-03T00:00:00Z", "red R", picture.wcs}, "abc"));
        const auto read = readLinear(path);
        ASSERT_TRUE(read) << read.error().detail;
        EXPECT_EQ(read->layers.whole.isGrey, isGrey);
        for (std::size_t c = 0; c < 3; ++c) {
            EXPECT_EQ(read->layers.whole.planes[c].at(5, 7),
                      picture.layers.whole.planes[c].at(5, 7))
                << c;
            EXPECT_EQ(read->layers.stars.planes[c].at(5, 7),
                      picture.layers.stars.planes[c].at(5, 7))
                << c;
            EXPECT_EQ(read->sky.planes[c].at(1, 1), picture.sky.planes[c].at(1, 1)) << c;
        }
        EXPECT_EQ(read->extent.at(2, 2), 1.0F);
        EXPECT_EQ(read->layers.noise.noise, picture.layers.noise.noise);
        EXPECT_EQ(read->layers.average, picture.layers.average);
        EXPECT_LT(
            separation(read->wcs.toSky({10.0, 10.0}), picture.wcs.toSky({10.0, 10.0})).arcsec(),
            1e-6);
        ASSERT_EQ(read->path.size(), 2U);
        EXPECT_LT(separation(read->path[1], picture.path[1]).arcsec(), 1e-4);
        EXPECT_LT(separation(read->body, picture.body).arcsec(), 1e-6);
    }
    EXPECT_FALSE(readLinear(folder / "none.fits"));
}

TEST(LinearPictureTest, ColoursComeBack) {
    const test_support::TemporaryFolder folder;
    const auto path = coloursBeside(folder / "a.fits");
    ASSERT_TRUE(writeColours(
        path, std::vector<picture::ColourPoint>{{0.5, -0.2, -0.25}, {1.0, 0.3, 0.31}}));
    const auto read = readColours(path);
    ASSERT_EQ(read.size(), 2U);
    EXPECT_DOUBLE_EQ(read[1].blueLessRed, 0.3);
    EXPECT_TRUE(readColours(folder / "none.csv").empty());
}

} // namespace
} // namespace pathmark::night
