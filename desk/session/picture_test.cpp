#include "desk/session/picture.h"

#include "core/frame/fits_file.h"
#include "tests/support/temporary_folder.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <random>

namespace pathmark::desk {
namespace {

/// A sky of 1000 electrons and its noise, with one star.
frame::Image skyWithStar(int width, int height) {
    std::mt19937 random(4);
    std::normal_distribution<float> noise(1000.0F, 30.0F);
    frame::Image image(width, height);
    for (float& v : image.pixels()) {
        v = noise(random);
    }
    image.at(10, 5) = 60000.0F;
    return image;
}

double meanGrey(const QImage& image) {
    double sum = 0.0;
    for (int y = 0; y < image.height(); ++y) {
        for (int x = 0; x < image.width(); ++x) {
            sum += qGray(image.pixel(x, y));
        }
    }
    return sum / (image.width() * image.height());
}

double scatterGrey(const QImage& image) {
    const double mean = meanGrey(image);
    double sum = 0.0;
    for (int y = 0; y < image.height(); ++y) {
        for (int x = 0; x < image.width(); ++x) {
            sum += std::pow(qGray(image.pixel(x, y)) - mean, 2);
        }
    }
    return std::sqrt(sum / (image.width() * image.height()));
}

/// The sky lies about a seventh of the way up, whatever its level; its noise is seen and does not shout.
TEST(StretchedTest, TheSkyIsDarkAndItsNoiseQuiet) {
    frame::Image image = skyWithStar(200, 150);
    for (const float level : {0.0F, 500.0F, 30000.0F}) {
        frame::Image lifted = image;
        for (float& v : lifted.pixels()) {
            v += level;
        }
        const QImage shown = stretched(lifted, {});
        EXPECT_NEAR(meanGrey(shown), 255.0 / 7.0, 14.0) << level;
        EXPECT_GT(scatterGrey(shown), 3.0) << level;
        EXPECT_LT(scatterGrey(shown), 30.0) << level;
    }
}

/// Frames count rows upwards, screens downwards.
TEST(StretchedTest, TheFirstRowIsTheLowest) {
    const QImage shown = stretched(skyWithStar(200, 150), {});
    EXPECT_GT(qGray(shown.pixel(10, 149 - 5)), 240);
    EXPECT_LT(qGray(shown.pixel(10, 5)), 150);
}

TEST(StretchedTest, BrighterIsBrighter) {
    const frame::Image image = skyWithStar(100, 80);
    double before = -1.0;
    for (const int brightness : {-10, -4, 0, 4, 10}) {
        const double mean = meanGrey(stretched(image, {brightness}));
        EXPECT_GT(mean, before) << brightness;
        before = mean;
    }
}

TEST(StretchedTest, PixelsWithoutAValueAreBlackAndNothingElseHappens) {
    frame::Image image = skyWithStar(60, 60);
    image.at(30, 30) = frame::kNoValue;
    image.at(31, 30) = std::numeric_limits<float>::infinity();
    const QImage shown = stretched(image, {});
    EXPECT_EQ(qGray(shown.pixel(30, 29)), 0);
    const QImage empty = stretched(frame::Image(20, 20, frame::kNoValue), {});
    EXPECT_EQ(empty.size(), QSize(20, 20));
    EXPECT_EQ(stretched(frame::Image(20, 20, 7.0F), {}).size(), QSize(20, 20));
}

/// The nucleus of a coma stands out of it however bright both are; a map, which has no sky, goes from black to white as it is.
TEST(StretchedTest, HighlightsAreToldApart) {
    frame::Image image = skyWithStar(200, 150);
    const std::array<float, 5> lights{1600.0F, 2500.0F, 5000.0F, 15000.0F, 1e7F};
    for (std::size_t i = 0; i < lights.size(); ++i) {
        image.at(100 + static_cast<int>(i), 70) = lights[i];
    }
    const QImage shown = stretched(image, {});
    int before = 0;
    for (int i = 0; i < 4; ++i) {
        const int grey = qGray(shown.pixel(100 + i, 149 - 70));
        EXPECT_GE(grey, before + 8) << i;
        before = grey;
    }
    EXPECT_EQ(qGray(shown.pixel(104, 149 - 70)), 255);
    Picture map;
    map.values = image;
    makeDisplay(map, {}, std::nullopt, night::DisplayRange{0.0F, 2500.0F, false});
    EXPECT_EQ(qGray(map.display.pixel(101, 149 - 70)), 255);
}

/// A reduced view is a mean over its pixels: half the noise at half the size.
TEST(MakeDisplayTest, ReducedViewsAreMeans) {
    Picture picture;
    picture.values = skyWithStar(2600, 1800);
    picture.values.at(10, 5) = 1000.0F;
    makeDisplay(picture, {});
    ASSERT_FALSE(picture.reduced.empty());
    EXPECT_EQ(picture.reduced.front().size(), QSize(1300, 900));
    EXPECT_LE(std::max(picture.reduced.back().width(), picture.reduced.back().height()), 1300);
    const QRect part(200, 200, 400, 400);
    const double full = scatterGrey(picture.display.copy(part));
    const double half = scatterGrey(picture.reduced.front().copy(part));
    // Black cuts the full view's noise off below.
    EXPECT_GT(half / full, 0.42);
    EXPECT_LT(half / full, 0.65);
    EXPECT_NEAR(
        meanGrey(picture.reduced.front().copy(part)), meanGrey(picture.display.copy(part)), 2.0);
    EXPECT_GE(picture.bytes(), 2600U * 1800U * 5U);
}

TEST(MakeDisplayTest, ColoursComeFromTheirPlanes) {
    Picture picture;
    picture.values = skyWithStar(64, 48);
    calibrate::ColourImage colours{skyWithStar(64, 48), skyWithStar(64, 48), skyWithStar(64, 48)};
    colours.red.at(20, 20) = 60000.0F;
    colours.blue.at(40, 20) = 60000.0F;
    makeDisplay(picture, {}, colours);
    const QRgb red = picture.display.pixel(20, 47 - 20);
    EXPECT_GT(qRed(red), 240);
    EXPECT_LT(qBlue(red), 150);
    const QRgb blue = picture.display.pixel(40, 47 - 20);
    EXPECT_GT(qBlue(blue), 240);
    EXPECT_LT(qRed(blue), 150);
}

TEST(LoadStackTest, APictureIsTheFileAsItIs) {
    const test_support::TemporaryFolder folder;
    const frame::Image image = skyWithStar(80, 60);
    frame::Header header;
    ASSERT_TRUE(frame::writeFits(folder / "stack.fits", image, header));
    const auto picture = loadStack(folder / "stack.fits", "a stack", std::nullopt, {});
    ASSERT_TRUE(picture) << picture.error().detail;
    EXPECT_EQ((*picture)->title, "a stack");
    EXPECT_EQ((*picture)->values.width(), 80);
    EXPECT_EQ((*picture)->values.at(10, 5), 60000.0F);
    EXPECT_FALSE((*picture)->wcs);
    EXPECT_FALSE(loadStack(folder / "gone.fits", "gone", std::nullopt, {}));
}

} // namespace
} // namespace pathmark::desk
