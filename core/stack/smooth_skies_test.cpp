#include "core/stack/smooth_skies.h"

#include "core/frame/fits_file.h"
#include "tests/support/moving_frames.h"

#include <fmt/format.h>
#include <gtest/gtest.h>

#include <cmath>
#include <random>

// Skies of frames through which a comet with a tail moves. Truth: the sky and the light that were laid down, neither of them a polynomial.
namespace pathmark::stack {
namespace {

constexpr int kWidth = 480;
constexpr int kHeight = 360;
constexpr int kFrames = 10;
constexpr double kSigma = 10.0; ///< of a pixel
constexpr double kTail = 0.4;   ///< of that, on the tail's axis

double skyAt(int frame, double x, double y) {
    const double u = x / kWidth - 0.5;
    const double v = y / kHeight - 0.5;
    return 500.0 + 60.0 * std::tanh(1.2 * u + 0.6 * v + 0.02 * frame) + 25.0 * std::exp(-2.0 * v);
}

/// Towards the west of the nucleus, 200 pixels long.
double lightAt(double dx, double dy) {
    const double coma = 300.0 / std::hypot(dx, dy, 3.0) * std::exp(-std::hypot(dx, dy) / 15.0);
    const double along = 0.5 * std::erfc((dx - 200.0) / 20.0) * 0.5 * std::erfc(-dx / 10.0);
    return coma + kTail * kSigma * along * std::exp(-0.5 * dy * dy / (14.0 * 14.0));
}

class SmoothSkiesTest : public testing::Test {
  protected:
    SmoothSkiesTest() {
        std::mt19937 random(8);
        std::normal_distribution<double> noise(0.0, kSigma);
        for (int i = 0; i < kFrames; ++i) {
            const frame::PixelPos nucleus{150.0 + 4.0 * i, 150.0 + 2.0 * i};
            frame::Image image(kWidth, kHeight);
            for (int y = 0; y < kHeight; ++y) {
                for (int x = 0; x < kWidth; ++x) {
                    image.at(x, y) = static_cast<float>(
                        skyAt(i, x, y) + lightAt(x - nucleus.x, y - nucleus.y) + noise(random));
                }
            }
            StackFrame frame;
            frame.path = folder_ / fmt::format("f{}.fits", i);
            EXPECT_TRUE(frame::writeFits(frame.path, image, {}));
            frame.place.wcs = test_support::turnedWcs(0.0, {240.0, 180.0});
            frame.noise = kSigma;
            frame.protect.push_back({nucleus, 25.0});
            targets_.push_back(frame.place.wcs.toSky(nucleus));
            frames_.push_back(std::move(frame));
        }
    }

    [[nodiscard]] PlanePos fromTarget(double dx, double dy) const {
        const frame::Wcs& wcs = frames_[0].place.wcs;
        const frame::PixelPos at = *wcs.toPixel(targets_[0]);
        return toTangentPlane(targets_[0], wcs.toSky({at.x + dx, at.y + dy}));
    }

    test_support::TemporaryFolder folder_;
    std::vector<StackFrame> frames_;
    std::vector<SkyPos> targets_;
};

TEST_F(SmoothSkiesTest, FollowTheSkyUnderATail) {
    const auto skies = smoothSkies(frames_, targets_, {}, {});
    ASSERT_TRUE(skies) << skies.error().detail;
    ASSERT_EQ(skies->surfaces.size(), frames_.size());
    // Under the tail, all frames together: a mesh is a fifth of a sigma off there.
    for (const double dx : {0.0, 40.0, 80.0, 120.0, 160.0, 200.0}) {
        double off = 0.0;
        for (int i = 0; i < kFrames; ++i) {
            const double x = 150.0 + 4.0 * i + dx;
            const double y = 150.0 + 2.0 * i;
            off +=
                (skies->surfaces[static_cast<std::size_t>(i)]->at(x, y) - skyAt(i, x, y)) / kFrames;
        }
        EXPECT_LT(std::abs(off), 0.05 * kSigma) << dx;
    }
    for (const double dx : {10.0, 60.0, 120.0, 180.0}) {
        EXPECT_TRUE(skies->extent.holds(fromTarget(dx, 0.0))) << dx;
    }
    EXPECT_FALSE(skies->extent.holds(fromTarget(60.0, 120.0)));
    EXPECT_FALSE(skies->extent.holds(fromTarget(-110.0, 0.0)));
    EXPECT_FALSE(skies->extent.holds(fromTarget(1e5, 0.0)));
}

TEST_F(SmoothSkiesTest, WhatIsDrawnCounts) {
    const std::vector<SkyStroke> strokes{{fromTarget(60.0, 120.0), 20.0 * kRadiansPerArcsec, true},
                                         {fromTarget(180.0, 0.0), 30.0 * kRadiansPerArcsec, false}};
    SmoothSkyWishes wishes;
    wishes.strokes = strokes;
    wishes.degree = 3;
    const auto skies = smoothSkies(frames_, targets_, wishes, {});
    ASSERT_TRUE(skies);
    EXPECT_EQ(skies->degree, 3);
    EXPECT_TRUE(skies->extent.holds(fromTarget(60.0, 120.0)));
    EXPECT_FALSE(skies->extent.holds(fromTarget(180.0, 0.0)));
}

TEST_F(SmoothSkiesTest, TooLittleSkyIsSaid) {
    const std::vector<SkyStroke> all{{PlanePos{}, 1.0, true}};
    SmoothSkyWishes wishes;
    wishes.strokes = all;
    const auto skies = smoothSkies(frames_, targets_, wishes, {});
    ASSERT_FALSE(skies);
    EXPECT_EQ(skies.error().id, ErrorId::CalibrateNoBackground);
    EXPECT_FALSE(smoothSkies({}, {}, {}, {}));
}

} // namespace
} // namespace pathmark::stack
