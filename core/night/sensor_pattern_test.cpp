#include "core/night/sensor_pattern.h"

#include "core/frame/fits_file.h"
#include "tests/support/photons.h"
#include "tests/support/temporary_folder.h"

#include <gtest/gtest.h>

#include <cmath>
#include <numbers>

namespace pathmark::night {
namespace {

constexpr int kSide = 160;
constexpr int kFrames = 15;
constexpr float kNoise = 20.0F;

/// What is painted into every frame at the same pixels.
struct OnTheSensor {
    float hot = 0.0F;  ///< one pixel at (40, 50)
    float dust = 0.0F; ///< a ring of 9 pixels' radius about (110, 100)
    double body = 0.0; ///< electrons of a point at (80.3, 30.4), which the mount follows
};

struct MadeSeries {
    test_support::TemporaryFolder folder;
    std::vector<stack::StackFrame> frames;
    std::vector<stack::FramePixels> sizes;

    explicit MadeSeries(const OnTheSensor& sensor) {
        for (int i = 0; i < kFrames; ++i) {
            test_support::Photons photons(static_cast<std::uint32_t>(i + 1));
            frame::Image image(kSide, kSide, 0.0F);
            photons.setBlur(2.6, 3.0, 0.0, 0.0);
            photons.point(image, 80.3, 30.4, sensor.body);
            for (int y = 0; y < kSide; ++y) {
                for (int x = 0; x < kSide; ++x) {
                    const double r = std::hypot(x - 110.0, y - 100.0);
                    const double ring = std::exp(-0.5 * (r - 9.0) * (r - 9.0) / 9.0);
                    image.at(x, y) +=
                        static_cast<float>(photons.normal(static_cast<double>(kNoise))) +
                        sensor.dust * static_cast<float>(ring);
                }
            }
            image.at(40, 50) += sensor.hot;
            stack::StackFrame frame;
            frame.path = folder / ("f" + std::to_string(i) + ".fits");
            EXPECT_TRUE(frame::writeFits(frame.path, image, {}));
            frames.push_back(std::move(frame));
            sizes.push_back({kSide, kSide});
        }
    }

    [[nodiscard]] SensorPattern pattern() const {
        auto measured = SensorPattern::measure(frames, sizes, 2.6, {});
        EXPECT_TRUE(measured);
        return std::move(*measured);
    }
};

/// The mean of a frame over a ring.
double onTheRing(const frame::Image& image) {
    double sum = 0.0;
    for (int k = 0; k < 60; ++k) {
        const double angle = 2.0 * std::numbers::pi * k / 60.0;
        sum += static_cast<double>(
                   image.at(static_cast<int>(std::lround(110.0 + 9.0 * std::cos(angle))),
                            static_cast<int>(std::lround(100.0 + 9.0 * std::sin(angle))))) /
               60.0;
    }
    return sum;
}

TEST(SensorPatternTest, AHotPixelHasNoValueAnyMore) {
    const MadeSeries series({150.0F, 0.0F, 0.0});
    const auto pattern = series.pattern();
    auto loaded = frame::readFits(series.frames[3].path);
    pattern.takeOff(loaded->image, 1.0F);
    EXPECT_TRUE(std::isnan(loaded->image.at(40, 50)));
    EXPECT_TRUE(std::isfinite(loaded->image.at(41, 50)));
}

/// Truth: the ring as it was painted, 40 electrons high; half as strong in a frame of half the sky.
TEST(SensorPatternTest, DustIsTakenOffAsStrongAsAFrameHasIt) {
    const MadeSeries series({0.0F, 40.0F, 0.0});
    const auto pattern = series.pattern();
    EXPECT_TRUE(pattern.matters(static_cast<double>(kNoise)));
    auto loaded = frame::readFits(series.frames[7].path);
    EXPECT_GT(onTheRing(loaded->image), 30.0);
    for (float& v : loaded->image.pixels()) {
        v *= 0.5F;
    }
    EXPECT_NEAR(pattern.strengthIn(loaded->image), 0.5, 0.1);
    pattern.takeOff(loaded->image, pattern.strengthIn(loaded->image));
    EXPECT_NEAR(onTheRing(loaded->image), 0.0, 6.0);
}

/// A body that the mount follows stands on the same pixels in all frames, and must stay; the wings of its light are a level's part.
TEST(SensorPatternTest, ABodyThatTheMountFollowsStays) {
    const MadeSeries series({0.0F, 0.0F, 1500.0});
    const auto pattern = series.pattern();
    auto loaded = frame::readFits(series.frames[2].path);
    double before = 0.0;
    double after = 0.0;
    const auto light = [&] {
        double sum = 0.0;
        for (int y = 27; y <= 33; ++y) {
            for (int x = 77; x <= 83; ++x) {
                sum += static_cast<double>(loaded->image.at(x, y));
            }
        }
        return sum;
    };
    before = light();
    pattern.takeOff(loaded->image, 1.0F);
    after = light();
    EXPECT_NEAR(after, before, 0.17 * before);
}

TEST(SensorPatternTest, NoiseAloneDoesNotMatter) {
    EXPECT_FALSE(MadeSeries({}).pattern().matters(static_cast<double>(kNoise)));
}

TEST(SensorPatternTest, OfFewFramesNothingIsKnown) {
    MadeSeries series({150.0F, 40.0F, 0.0});
    series.frames.resize(4);
    series.sizes.resize(4);
    EXPECT_FALSE(series.pattern().matters(static_cast<double>(kNoise)));
}

} // namespace
} // namespace pathmark::night
