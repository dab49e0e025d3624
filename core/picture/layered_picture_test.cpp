#include "core/picture/layered_picture.h"

#include <gtest/gtest.h>

#include <cmath>
#include <functional>
#include <random>

// Layers and looks. Truth: the light that was laid down, and noise of a generator.
namespace pathmark::picture {
namespace {

constexpr int kSide = 240;
constexpr float kNoise = 5.0F;

ColourPicture pictureOf(const std::function<float(int, int)>& light) {
    ColourPicture picture;
    for (auto& plane : picture.planes) {
        plane = frame::Image(kSide, kSide);
        for (int y = 0; y < kSide; ++y) {
            for (int x = 0; x < kSide; ++x) {
                plane.at(x, y) = light(x, y);
            }
        }
    }
    return picture;
}

float blob(int x, int y, float cx, float cy, float width, float peak) {
    const float dx = static_cast<float>(x) - cx;
    const float dy = static_cast<float>(y) - cy;
    return peak * std::exp(-0.5F * (dx * dx + dy * dy) / (width * width));
}

/// A tail of half the noise across the picture, and a star.
float tail(int, int y) {
    const float dy = static_cast<float>(y) - 120.0F;
    return 0.5F * kNoise * std::exp(-0.5F * dy * dy / (12.0F * 12.0F));
}

float star(int x, int y) {
    return blob(x, y, 60.0F, 50.0F, 1.5F, 2000.0F);
}

class SmoothingTest : public testing::Test {
  protected:
    SmoothingTest() {
        std::mt19937 random(3);
        std::normal_distribution<float> noise(0.0F, kNoise);
        light_ = pictureOf([&](int x, int y) { return tail(x, y) + star(x, y) + noise(random); });
        const double sky = static_cast<double>(kNoise);
        noise_.noise = {sky, sky, sky};
    }

    /// Mean and scatter of a part of a plane.
    static std::pair<double, double> momentsIn(const frame::Image& image, int y0, int y1) {
        double sum = 0.0;
        double squares = 0.0;
        int count = 0;
        for (int y = y0; y < y1; ++y) {
            for (int x = 100; x < kSide; ++x) {
                const auto v = static_cast<double>(image.at(x, y));
                sum += v;
                squares += v * v;
                ++count;
            }
        }
        const double mean = sum / count;
        return {mean, std::sqrt(squares / count - mean * mean)};
    }

    ColourPicture light_;
    PlaneNoise noise_;
};

TEST_F(SmoothingTest, NoStrengthChangesNothing) {
    const ColourPicture same = Smoothing(light_, noise_).at(0.0);
    for (std::size_t k = 0; k < same.planes[0].pixels().size(); k += 7) {
        ASSERT_NEAR(same.planes[0].pixels()[k], light_.planes[0].pixels()[k], 2e-3F);
    }
}

TEST_F(SmoothingTest, NoiseGoesAndWhatStandsOutStays) {
    const ColourPicture smooth = Smoothing(light_, noise_).at(1.0);
    for (std::size_t c = 0; c < 3; ++c) {
        const auto [level, scatter] = momentsIn(smooth.planes[c], 190, 235);
        EXPECT_LT(scatter, 0.15 * static_cast<double>(kNoise)) << c;
        EXPECT_NEAR(level, 0.0, 0.1);
        // The tail's light over its whole width, of which the noise that was laid over it is a part.
        const double light = momentsIn(smooth.planes[c], 80, 160).first;
        EXPECT_NEAR(light / momentsIn(light_.planes[c], 80, 160).first, 1.0, 0.05) << c;
        double inStar = 0.0;
        for (int y = 42; y <= 58; ++y) {
            for (int x = 52; x <= 68; ++x) {
                inStar += static_cast<double>(smooth.planes[c].at(x, y));
            }
        }
        EXPECT_NEAR(inStar / (2000.0 * 2.0 * 3.14159265 * 1.5 * 1.5), 1.0, 0.01);
        EXPECT_NEAR(smooth.planes[c].at(60, 50), 2000.0F, 20.0F) << "its peak is not blunted";
    }
    const ColourPicture direct = smoothed(light_, noise_, 1.0);
    EXPECT_NEAR(direct.planes[1].at(100, 100), smooth.planes[1].at(100, 100), 1e-3F);
}

class LayeredPictureTest : public testing::Test {
  protected:
    LayeredPictureTest() {
        picture_.stars = pictureOf(star);
        picture_.whole = pictureOf([](int x, int y) { return tail(x, y) + star(x, y); });
        picture_.average = {0.8, 1.0, 1.3};
        stretch_.curve = Stretch::Curve::Linear;
        stretch_.black = 0.0;
        stretch_.white = 100.0;
        look_.isLinear = true;
    }

    [[nodiscard]] float brightAt(std::size_t plane, int x, int y) const {
        return shown(picture_, look_, stretch_, {0.0, 5.0}).planes[plane].at(x, y);
    }

    LayeredPicture picture_;
    Stretch stretch_;
    Look look_;
};

TEST_F(LayeredPictureTest, ALayerIsShownAlone) {
    look_.layers = Shown::Comet;
    EXPECT_NEAR(brightAt(0, 60, 50), tail(60, 50) / 100.0F, 1e-4F);
    EXPECT_NEAR(brightAt(0, 60, 120), 0.025F, 1e-4F);
    look_.layers = Shown::Stars;
    EXPECT_NEAR(brightAt(0, 62, 50), std::min(1.0F, star(62, 50) / 100.0F), 1e-4F);
    EXPECT_EQ(brightAt(0, 160, 120), 0.0F);
}

TEST_F(LayeredPictureTest, StarsAreStretchedApartAndNothingIsLost) {
    look_.stars = StarStretch{800.0, 2.0}; // white at 4000
    EXPECT_NEAR(brightAt(1, 60, 120), 0.025F, 1e-4F);
    // At the star, light over light.
    const float a = tail(61, 51) / 100.0F;
    const float b = star(61, 51) / 4000.0F;
    EXPECT_NEAR(brightAt(1, 61, 51), 1.0F - (1.0F - a) * (1.0F - b), 1e-4F);
}

TEST_F(LayeredPictureTest, AnotherWhiteMultipliesThePlanes) {
    look_.whiteIs = White::Average;
    const float light = star(64, 50) / 100.0F; // far above black, where colours fade
    EXPECT_NEAR(brightAt(2, 64, 50) / brightAt(0, 64, 50), 1.3F / 0.8F, 0.02F);
    EXPECT_NEAR(brightAt(1, 64, 50), light, 0.03F * light);
}

TEST_F(LayeredPictureTest, WithoutLayersTheWholeIsShown) {
    picture_.stars = {};
    look_.layers = Shown::Stars;
    look_.stars = StarStretch();
    EXPECT_NEAR(brightAt(0, 160, 120), 0.025F, 1e-4F);
}

} // namespace
} // namespace pathmark::picture
