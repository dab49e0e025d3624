#include "core/picture/layered_picture.h"
#include "tests/support/photons.h"

#include <gtest/gtest.h>

#include <cmath>

namespace pathmark::picture {
namespace {

/// Sky noise of 5, and a reddish patch of 1000 in its middle.
ColourPicture patch() {
    test_support::Photons photons(3);
    ColourPicture picture;
    for (auto& plane : picture.planes) {
        plane = frame::Image(120, 100);
        for (float& v : plane.pixels()) {
            v = 20.0F + static_cast<float>(photons.normal(5.0));
        }
    }
    for (int y = 45; y < 55; ++y) {
        for (int x = 55; x < 65; ++x) {
            picture.planes[0].at(x, y) += 1500.0F;
            picture.planes[1].at(x, y) += 1000.0F;
            picture.planes[2].at(x, y) += 500.0F;
        }
    }
    return picture;
}

TEST(StretchTest, WordsAreRead) {
    ASSERT_TRUE(stretchNamed("auto"));
    EXPECT_EQ(stretchNamed("linear")->curve, Stretch::Curve::Linear);
    EXPECT_DOUBLE_EQ(*stretchNamed("asinh:12.5")->softness, 12.5);
    for (const char* words : {"", "log", "asinh", "asinh:", "asinh:-1", "asinh:0", "asinh:x"}) {
        EXPECT_FALSE(stretchNamed(words)) << words;
    }
}

TEST(StretchTest, TheGroundIsThatOfTheSky) {
    const Ground ground = groundOf(patch());
    EXPECT_NEAR(ground.level, 20.0, 0.2);
    EXPECT_NEAR(ground.noise, 5.0 / std::sqrt(3.0), 0.2);
}

/// Truth: the curves as they are written down, at a pixel of plain grey.
TEST(StretchTest, CurvesAreWhatTheyAreCalled) {
    ColourPicture one;
    for (auto& plane : one.planes) {
        plane = frame::Image(1, 1, 300.0F);
    }
    const ColourPicture linear = stretched(one, {Stretch::Curve::Linear, 100.0, 1100.0, 1.0});
    EXPECT_NEAR(linear.planes[1].at(0, 0), 0.2, 1e-6);
    const ColourPicture soft = stretched(one, {Stretch::Curve::Asinh, 100.0, 1100.0, 20.0});
    EXPECT_NEAR(soft.planes[1].at(0, 0), std::asinh(10.0) / std::asinh(50.0), 1e-6);
}

TEST(StretchTest, ColoursAreKeptAndNothingIsBrighterThanWhite) {
    const ColourPicture picture = patch();
    const Stretch stretch = stretchFor(picture, {});
    const ColourPicture shown = stretched(picture, stretch);
    const float red = shown.planes[0].at(60, 50);
    const float green = shown.planes[1].at(60, 50);
    const float blue = shown.planes[2].at(60, 50);
    EXPECT_GT(red, green);
    EXPECT_GT(green, blue);
    for (const auto& plane : shown.planes) {
        for (const float v : plane.pixels()) {
            EXPECT_GE(v, 0.0F);
            EXPECT_LE(v, 1.0F);
        }
    }
    // The sky is dark, but not black.
    EXPECT_GT(shown.intensity(0), 0.0F);
    EXPECT_LT(groundOf(shown).level, 0.3);
}

/// Truth: the patch's own sky and noise, known from how it was made.
TEST(StretchTest, ALookHoldsWhateverTheUnits) {
    const ColourPicture picture = patch();
    const Stretch found = stretchFor(picture, {});
    const Ground ground = groundOf(picture);
    EXPECT_EQ(stretchOf({}, found, ground).black, found.black);
    Look look;
    look.black = -1.0;
    look.white = 50.0;
    look.softness = 4.0;
    const Stretch stretch = stretchOf(look, found, ground);
    const double noise = 5.0 / std::sqrt(3.0);
    EXPECT_NEAR(stretch.black, 20.0 - noise, 0.4);
    EXPECT_NEAR(stretch.white, 20.0 + 50.0 * noise, 10.0);
    EXPECT_NEAR(stretch.softness, 4.0 * noise, 0.8);
    ColourPicture doubled = picture;
    for (auto& plane : doubled.planes) {
        for (float& v : plane.pixels()) {
            v *= 2.0F;
        }
    }
    const ColourPicture one = stretched(picture, stretch);
    const ColourPicture two =
        stretched(doubled, stretchOf(look, stretchFor(doubled, {}), groundOf(doubled)));
    EXPECT_NEAR(one.planes[0].at(60, 50), two.planes[0].at(60, 50), 1e-4);
}

TEST(StretchTest, SaturationIsAboutTheGrey) {
    const ColourPicture picture = patch();
    Stretch stretch = stretchFor(picture, {});
    stretch.white *= 4000.0; // nothing reaches it
    const auto redness = [&](double saturation) {
        stretch.saturation = saturation;
        const ColourPicture shown = stretched(picture, stretch);
        return shown.planes[0].at(60, 50) - shown.planes[2].at(60, 50);
    };
    const float plain = redness(1.0);
    EXPECT_GT(plain, 0.05F);
    EXPECT_NEAR(redness(0.0), 0.0F, 1e-6F);
    EXPECT_NEAR(redness(0.5), 0.5F * plain, 1e-5F);
}

TEST(ColourPictureTest, GapsAreFilledFromAround) {
    frame::Image image(40, 40, 7.0F);
    for (int y = 10; y < 18; ++y) {
        for (int x = 10; x < 18; ++x) {
            image.at(x, y) = frame::kNoValue;
        }
    }
    fillGaps(image, 10);
    for (const float v : image.pixels()) {
        EXPECT_FLOAT_EQ(v, 7.0F);
    }
    frame::Image nothing(40, 40, frame::kNoValue);
    fillGaps(nothing, 5, 3.0F);
    EXPECT_FLOAT_EQ(nothing.at(20, 20), 3.0F);
}

TEST(ColourPictureTest, FewerPixelsAreMeans) {
    ColourPicture picture;
    for (auto& plane : picture.planes) {
        plane = frame::Image(4, 2);
        for (int x = 0; x < 4; ++x) {
            plane.at(x, 0) = static_cast<float>(x);
            plane.at(x, 1) = static_cast<float>(x) + 10.0F;
        }
    }
    const ColourPicture small = reducedTo(picture, 2);
    ASSERT_EQ(small.width(), 2);
    ASSERT_EQ(small.height(), 1);
    EXPECT_FLOAT_EQ(small.planes[0].at(0, 0), 5.5F);
    EXPECT_FLOAT_EQ(small.planes[0].at(1, 0), 7.5F);
}

} // namespace
} // namespace pathmark::picture
