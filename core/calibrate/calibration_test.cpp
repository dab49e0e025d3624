#include "core/calibrate/apply.h"
#include "core/calibrate/noise.h"
#include "tests/support/temporary_folder.h"

#include <gtest/gtest.h>

#include <cmath>
#include <random>

namespace pathmark::calibrate {
namespace {

constexpr double kGain = 0.8;
constexpr double kRead = 4.5;
constexpr int kSide = 512;

/// A frame of a made-up detector: `level` electrons through a flat that falls to 80 % at one side.
frame::Image rawFrame(std::mt19937& random, double level, bool shaped) {
    std::normal_distribution<double> read(0.0, kRead);
    frame::Image image(kSide, kSide);
    for (int y = 0; y < kSide; ++y) {
        for (int x = 0; x < kSide; ++x) {
            const double mean = level * (shaped ? 1.0 - 0.2 * x / kSide : 1.0);
            std::poisson_distribution<int> photons(std::max(mean, 1e-9));
            const double electrons = (level > 0.0 ? photons(random) : 0.0) + read(random);
            image.at(x, y) =
                static_cast<float>(std::round(500.0 + 3.0 * (x % 7) + electrons / kGain));
        }
    }
    return image;
}

FrameGroup groupOf(const test_support::TemporaryFolder& folder,
                   frame::FrameKind kind,
                   double level,
                   int count,
                   std::uint32_t seed) {
    std::mt19937 random(seed);
    FrameGroup group;
    for (int i = 0; i < count; ++i) {
        const auto path = folder / (std::string(frame::name(kind)) + std::to_string(i) + ".fits");
        EXPECT_TRUE(frame::writeFits(path,
                                     rawFrame(random, level, kind == frame::FrameKind::Flat),
                                     {},
                                     frame::PixelType::UInt16));
        frame::FrameInfo info;
        info.path = path;
        info.kind = kind;
        info.width = kSide;
        info.height = kSide;
        group.frames.push_back(info);
    }
    group.example = group.frames.front();
    return group;
}

/// Truth: the gain and read noise that the frames were made with, by std's own Poisson and normal numbers.
TEST(MeasureNoiseTest, FindsGainAndReadNoise) {
    const test_support::TemporaryFolder folder;
    const auto flats = groupOf(folder, frame::FrameKind::Flat, 20000.0, 2, 11);
    const auto biases = groupOf(folder, frame::FrameKind::Bias, 0.0, 2, 12);
    const auto noise = measureNoise(flats, biases);
    ASSERT_TRUE(noise);
    EXPECT_NEAR(noise->electronsPerAdu, kGain, 0.02 * kGain);
    EXPECT_NEAR(noise->readNoiseElectrons, kRead, 0.03 * kRead);
}

/// Truth: the noise-free light; the mean error must vanish against its own standard error.
TEST(ApplyCalibrationTest, GivesBackTheElectrons) {
    const test_support::TemporaryFolder folder;
    const auto flats = groupOf(folder, frame::FrameKind::Flat, 30000.0, 5, 21);
    const auto biases = groupOf(folder, frame::FrameKind::Bias, 0.0, 9, 22);
    const auto bias = buildMaster(biases, {});
    ASSERT_TRUE(bias);
    const auto flat = buildFlat(flats, &*bias, 65535.0, {});
    ASSERT_TRUE(flat);
    std::mt19937 random(23);
    frame::LoadedFrame light{rawFrame(random, 400.0, true), {}};
    frame::FrameInfo info;
    info.path = "/n/light.fits";
    CalibrationSet set;
    set.bias = &*bias;
    set.flat = &*flat;
    set.noise = {kGain, kRead, 65535.0};
    const auto done = applyCalibration(light, info, set);
    double left = 0.0;
    double right = 0.0;
    for (int y = 0; y < kSide; ++y) {
        left += static_cast<double>(done.image.at(10, y));
        right += static_cast<double>(done.image.at(kSide - 10, y));
    }
    // The flat is scaled to its median, 0.9 of the brightest: 400 electrons before it become 360.
    const double error = 5.0 * std::sqrt(400.0 + kRead * kRead) / std::sqrt(kSide) * 1.2;
    EXPECT_NEAR(left / kSide, 360.0, error);
    EXPECT_NEAR(right / kSide, 360.0, error);
    EXPECT_EQ(done.header.text("BUNIT"), "electron");
}

TEST(ApplyCalibrationTest, HotPixelsBecomeNanAndBayerCellsAreSummed) {
    frame::LoadedFrame light{frame::Image(8, 6, 600.0F), {}};
    Master dark;
    dark.image = frame::Image(8, 6, 500.0F);
    dark.image.at(5, 1) = 9000.0F;
    CalibrationSet set;
    set.dark = &dark;
    set.noise = {2.0, 4.0, 65535.0};
    frame::FrameInfo info;
    info.bayerPattern = "RGGB";
    const auto done = applyCalibration(light, info, set);
    EXPECT_EQ(done.image.width(), 4);
    EXPECT_EQ(done.image.height(), 3);
    EXPECT_EQ(done.defects, 1);
    EXPECT_FLOAT_EQ(done.image.at(0, 0), 800.0F);
    EXPECT_TRUE(std::isnan(done.image.at(2, 0)));
}

TEST(BuildFlatTest, SaturatedFlatsAreRefused) {
    const test_support::TemporaryFolder folder;
    const auto flats = groupOf(folder, frame::FrameKind::Flat, 50000.0, 3, 31);
    const auto flat = buildFlat(flats, nullptr, 30000.0, {});
    ASSERT_FALSE(flat);
    EXPECT_EQ(flat.error().id, ErrorId::CalibrateNoFrames);
}

} // namespace
} // namespace pathmark::calibrate
