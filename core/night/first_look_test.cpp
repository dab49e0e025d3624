#include "core/night/first_look.h"

#include "core/frame/fits_file.h"
#include "core/night/quality.h"
#include "tests/support/matchers.h"
#include "tests/support/photons.h"
#include "tests/support/temporary_folder.h"

#include <gtest/gtest.h>

#include <cmath>

namespace pathmark::night {
namespace {

constexpr int kWidth = 900;
constexpr int kHeight = 700;
constexpr double kSky = 400.0;
constexpr double kOffset = 1000.0;

/// A raw frame of photons: offset, hot pixels, and with `stars` a sky with stars 3.1 pixels wide.
frame::Image raw(std::uint32_t seed, int stars) {
    test_support::Photons hot(99);
    test_support::Photons photons(seed);
    photons.setBlur(3.1, 3.0, 0.0, 0.0);
    frame::Image image(kWidth, kHeight);
    for (float& v : image.pixels()) {
        v = static_cast<float>((stars > 0 ? photons.poisson(kSky) : 0) + photons.normal(6.0));
    }
    for (int k = 0; k < 800; ++k) {
        const int x = static_cast<int>(hot.uniform() * kWidth);
        const int y = static_cast<int>(hot.uniform() * kHeight);
        image.at(x, y) += static_cast<float>(photons.poisson(3000.0));
    }
    test_support::Photons places(7);
    for (int star = 0; star < stars; ++star) {
        photons.point(image, places.uniform() * kWidth, places.uniform() * kHeight, 8000.0);
    }
    for (float& v : image.pixels()) {
        v += static_cast<float>(kOffset);
    }
    return image;
}

frame::FrameInfo written(const std::filesystem::path& path, const frame::Image& image) {
    EXPECT_TRUE(frame::writeFits(path, image, {}, frame::PixelType::Float32));
    frame::FrameInfo info;
    info.path = path;
    info.width = image.width();
    info.height = image.height();
    info.electronsPerAdu = 1.0;
    return info;
}

/// Truth: what the photons were drawn with. Width, sky, noise (root of sky and read noise of the light and of the dark under it),
/// and the number of stars are those of the frame, whatever the detector adds.
TEST(FirstLookTest, TellsSkyNoiseWidthAndNumberThroughHotPixels) {
    const test_support::TemporaryFolder folder;
    const auto light = written(folder / "light.fits", raw(1, 250));
    const auto dark = written(folder / "dark.fits", raw(2, 0));
    const auto look = FirstLook::make(dark);
    ASSERT_TRUE(look);
    const auto seen = look->at(light);
    ASSERT_TRUE(seen) << seen.error().detail;
    EXPECT_EQ(seen->withoutSources, "");
    EXPECT_NEAR(seen->fwhmPixels, 3.1, 0.1);
    EXPECT_NEAR(seen->elongation, 1.0, 0.08);
    EXPECT_NEAR(seen->skyElectrons, kSky, 4.0);
    EXPECT_NEAR(seen->noiseElectrons, std::sqrt(kSky + 2.0 * 36.0), 1.0);
    EXPECT_NEAR(seen->sources, 250, 40);
}

/// Without a dark the hot pixels are there, and the camera's offset is in the sky; the stars are no narrower for that.
TEST(FirstLookTest, WithoutADarkTheStarsAreStillAsWide) {
    const test_support::TemporaryFolder folder;
    const auto look = FirstLook::make(std::nullopt);
    ASSERT_TRUE(look);
    const auto seen = look->at(written(folder / "light.fits", raw(1, 250)));
    ASSERT_TRUE(seen) << seen.error().detail;
    EXPECT_NEAR(
        seen->fwhmPixels, 3.1, 0.22); // of 800 hot pixels beside 250 stars some are taken for stars
    EXPECT_NEAR(seen->skyElectrons, kSky + kOffset, 4.0);
}

TEST(FirstLookTest, WhatShowsNoStarsOrCannotBeReadIsSaid) {
    const test_support::TemporaryFolder folder;
    const auto look = FirstLook::make(std::nullopt);
    frame::Image flat(kWidth, kHeight);
    test_support::Photons photons(3);
    for (float& v : flat.pixels()) {
        v = static_cast<float>(photons.poisson(kSky));
    }
    const auto seen = look->at(written(folder / "cap.fits", flat));
    ASSERT_TRUE(seen);
    EXPECT_NE(seen->withoutSources, "");
    frame::FrameInfo gone;
    gone.path = folder / "gone.fits";
    EXPECT_FALSE(look->at(gone));
    EXPECT_FALSE(FirstLook::make(gone));
}

/// A rule in words is the rule.
TEST(RuleTest, IsReadFromTheCommandLine) {
    EXPECT_EQ(words(ruleFrom("fwhm above 1.4 median").value()), "FWHM above 1.4 x median");
    EXPECT_EQ(words(ruleFrom("sky below 900").value()), "sky below 900 e-");
    for (const char* wrong : {"",
                              "fwhm",
                              "fwhm over 2",
                              "width above 2",
                              "fwhm above two",
                              "fwhm above 2 mean",
                              "fwhm above 2 median x",
                              "fwhm above nan"}) {
        EXPECT_FALSE(ruleFrom(wrong)) << wrong;
    }
}

} // namespace
} // namespace pathmark::night
