#include "core/calibrate/apply.h"
#include "core/calibrate/library.h"
#include "core/frame/open_frame.h"
#include "tests/support/toy_camera.h"

#include <gtest/gtest.h>

#include <cmath>

namespace pathmark::calibrate {
namespace {

using test_support::TemporaryFolder;
using test_support::ToyCamera;

frame::FrameInfo lightOf(int width, int height) {
    frame::FrameInfo info;
    info.path = "/n/light.fits";
    info.kind = frame::FrameKind::Light;
    info.width = width;
    info.height = height;
    info.exposureSeconds = 60.0;
    info.exposureKnown = true;
    return info;
}

TEST(CalibratorTest, HotPixelsBecomeNanAndBayerCellsAreSummed) {
    frame::LoadedFrame light{frame::Image(8, 6, 600.0F), {}};
    Master dark;
    dark.image = frame::Image(8, 6, 500.0F);
    dark.image.at(5, 1) = 9000.0F;
    CalibrationSet set;
    set.dark = &dark;
    set.noise = {2.0, 4.0, 65535.0};
    frame::FrameInfo info = lightOf(8, 6);
    info.bayerPattern = "RGGB";
    const auto done = Calibrator(set, info).apply(light, info);
    EXPECT_EQ(done.image.width(), 4);
    EXPECT_EQ(done.image.height(), 3);
    EXPECT_EQ(done.defects, 1);
    EXPECT_FLOAT_EQ(done.image.at(0, 0), 800.0F);
    EXPECT_TRUE(std::isnan(done.image.at(2, 0)));
}

TEST(CalibratorTest, HistoryNamesTheMastersByTheirDigest) {
    frame::LoadedFrame light{frame::Image(8, 8, 700.0F), {}};
    Master bias;
    bias.image = frame::Image(8, 8, 500.0F);
    bias.key = "0123456789abcdef0123456789abcdef";
    bias.frameCount = 9;
    bias.how = "median";
    Master dark = bias;
    dark.key = "fedcba9876543210fedcba9876543210";
    dark.example.exposureSeconds = 120.0;
    dark.image = frame::Image(8, 8, 540.0F);
    CalibrationSet set;
    set.bias = &bias;
    set.scaledDark = &dark;
    set.noise = {1.0, 5.0, 65535.0};
    const auto info = lightOf(8, 8);
    const auto done = Calibrator(set, info).apply(light, info);
    EXPECT_FLOAT_EQ(done.image.at(3, 3), 180.0F); // 700 - (500 + 0.5 x 40)
    EXPECT_EQ(done.header.text("PMBIAS"), bias.key);
    EXPECT_EQ(done.header.text("PMSCDARK"), dark.key);
    EXPECT_NEAR(*done.header.number("PMDKSCAL"), 0.5, 1e-12);
    std::string history;
    for (const auto& card : done.header.cards()) {
        history += card.keyword == "HISTORY" ? frame::cardText(card) + "\n" : "";
    }
    EXPECT_NE(history.find("dark of 120 s scaled by 0.5000 for 60 s"), std::string::npos)
        << history;
    EXPECT_NE(history.find("0123456789abcdef"), std::string::npos) << history;
    EXPECT_NE(history.find("no flat"), std::string::npos) << history;
}

TEST(BuildFlatTest, SaturatedFlatsAreRefused) {
    const TemporaryFolder folder;
    ToyCamera camera(96, 64, 31);
    const auto flats = camera.group(folder, frame::FrameKind::Flat, 3, 2.0, 24000.0);
    const auto flat = buildFlat(flats, nullptr, {std::nullopt, 30000.0}, {});
    ASSERT_FALSE(flat);
    EXPECT_EQ(flat.error().id, ErrorId::CalibrateNoFrames);
}

/// Truth: a lamp that is twice as bright in red as in green and half as bright in blue, and optics that lose 30 % towards one side.
/// What a red pixel counted stays what it counted.
TEST(BuildFlatTest, TheLampsColourChangesNoElectrons) {
    const TemporaryFolder folder;
    const std::string pattern = "RGGB";
    FrameGroup group;
    for (int i = 0; i < 3; ++i) {
        frame::Image image(96, 64);
        for (int y = 0; y < 64; ++y) {
            for (int x = 0; x < 96; ++x) {
                const char colour = pattern[static_cast<std::size_t>(y % 2 * 2 + x % 2)];
                const double lamp = colour == 'R' ? 20000.0 : colour == 'B' ? 5000.0 : 10000.0;
                image.at(x, y) = static_cast<float>(lamp * (1.0 - 0.3 * x / 95.0));
            }
        }
        auto info = lightOf(96, 64);
        info.kind = frame::FrameKind::Flat;
        info.bayerPattern = pattern;
        info.path = folder / ("f" + std::to_string(i) + ".fits");
        ASSERT_TRUE(frame::writeFits(info.path, image, {}, frame::PixelType::UInt16));
        group.frames.push_back(info);
    }
    group.example = group.frames.front();
    const auto flat = buildFlat(group, nullptr, {}, {});
    ASSERT_TRUE(flat) << flat.error().detail;
    for (const int x : {2, 3, 50, 51, 94, 95}) {
        for (const int y : {30, 31}) {
            EXPECT_NEAR(flat->image.at(x, y), 1.0 - 0.3 * x / 95.0, 0.02) << x << " " << y;
        }
    }
}

TEST(BuildFlatTest, ZerosInAFlatBecomeDefectsAndNotInfinities) {
    const TemporaryFolder folder;
    for (int i = 0; i < 5; ++i) {
        frame::Image image(64, 48, 20000.0F + 100.0F * static_cast<float>(i));
        image.at(10, 10) = 0.0F;
        image.at(11, 30) = 0.0F;
        ASSERT_TRUE(frame::writeFits(
            folder / ("f" + std::to_string(i) + ".fits"), image, {}, frame::PixelType::UInt16));
    }
    FrameGroup group;
    for (int i = 0; i < 5; ++i) {
        auto info = lightOf(64, 48);
        info.kind = frame::FrameKind::Flat;
        info.path = folder / ("f" + std::to_string(i) + ".fits");
        group.frames.push_back(info);
    }
    group.example = group.frames.front();
    const auto flat = buildFlat(group, nullptr, {}, {});
    ASSERT_TRUE(flat);
    EXPECT_NEAR(flat->image.at(30, 20), 1.0F, 1e-5F);
    CalibrationSet set;
    set.flat = &*flat;
    set.noise = {1.0, 5.0, 65535.0};
    const auto info = lightOf(64, 48);
    const Calibrator calibrator(set, info);
    const auto done = calibrator.apply({frame::Image(64, 48, 300.0F), {}}, info);
    EXPECT_TRUE(std::isnan(done.image.at(10, 10)));
    EXPECT_TRUE(std::isnan(done.image.at(11, 30)));
    EXPECT_FLOAT_EQ(done.image.at(30, 20), 300.0F);
    EXPECT_EQ(calibrator.defects().dead, 2);
}

TEST(DefectsTest, HotUnstableDeadAndColumnsAreTold) {
    Master dark;
    dark.frameCount = 10;
    dark.image = frame::Image(64, 64, 500.0F);
    dark.variance = frame::Image(64, 64, 2.5F);
    dark.image.at(5, 5) = 4000.0F;
    dark.variance.at(9, 9) = 200.0F;
    for (int y = 0; y < 40; ++y) {
        dark.image.at(20, y) = 3000.0F;
    }
    Master flat;
    flat.image = frame::Image(64, 64, 1.0F);
    flat.image.at(40, 40) = 0.3F;
    const auto map = findDefects(&dark, &flat, {1.0, 5.0, 65535.0});
    EXPECT_EQ(map.unstable, 1);
    EXPECT_EQ(map.dead, 1);
    EXPECT_EQ(map.columns, 1);
    EXPECT_EQ(map.pixels[dark.image.index(5, 5)], Defect::Hot);
    EXPECT_EQ(map.pixels[dark.image.index(20, 60)], Defect::Column);
    EXPECT_EQ(map.count(), 64 + 3);
}

/// Truth: the rates that the camera was made with; stars move by the dither and must not count.
TEST(DefectsTest, DitheredLightsShowTheirHotPixels) {
    const TemporaryFolder folder;
    ToyCamera camera(128, 128, 5);
    for (double& rate : camera.darkRate) {
        rate = 0.02;
    }
    camera.darkRate[40 * 128 + 30] = 20.0;
    FrameGroup lights;
    for (int i = 0; i < 9; ++i) {
        const auto path = folder / ("l" + std::to_string(i) + ".fits");
        const auto star = [&](int x, int y) {
            return 200.0 +
                   30000.0 *
                       std::exp(-0.5 * (std::pow(x - 60 - 4 * i, 2) + std::pow(y - 60 + 3 * i, 2)) /
                                2.0);
        };
        ASSERT_TRUE(
            frame::writeFits(path, camera.expose(star, 60.0), {}, frame::PixelType::UInt16));
        lights.frames.push_back(camera.describe(path, frame::FrameKind::Light, 60.0));
    }
    lights.example = lights.frames.front();
    const auto map = findDefectsInLights(lights, {});
    ASSERT_TRUE(map);
    EXPECT_EQ(map->pixels[40 * 128 + 30], Defect::Hot);
    EXPECT_LE(map->count(), 3);
}

/// A mount that follows well, and a comet that it follows: what they show stands still on the detector as hot pixels do. Truth: the
/// rates that the camera was made with. Half of the columns and rows see less, as through a colour filter.
TEST(DefectsTest, StarsThatStandStillAreNoDefects) {
    const TemporaryFolder folder;
    ToyCamera camera(128, 128, 5);
    for (double& rate : camera.darkRate) {
        rate = 0.02;
    }
    const std::vector<std::size_t> hot{40 * 128 + 30, 40 * 128 + 31, 90 * 128 + 64, 20 * 128 + 100};
    for (const std::size_t i : hot) {
        camera.darkRate[i] = 20.0;
    }
    const auto sky = [](int x, int y) {
        const double star =
            20000.0 * std::exp(-std::log(16.0) * (std::pow(x - 100.3, 2) + std::pow(y - 60.4, 2)) /
                               (1.7 * 1.7));
        const double comet = 30000.0 / (2.0 + std::hypot(x - 50.2, y - 64.4));
        return 200.0 + (x % 2 == 0 && y % 2 == 0 ? 0.5 : 1.0) * (star + comet);
    };
    FrameGroup lights;
    for (int i = 0; i < 6; ++i) {
        const auto path = folder / ("l" + std::to_string(i) + ".fits");
        ASSERT_TRUE(frame::writeFits(path, camera.expose(sky, 60.0), {}, frame::PixelType::UInt16));
        lights.frames.push_back(camera.describe(path, frame::FrameKind::Light, 60.0));
    }
    lights.example = lights.frames.front();
    const auto map = findDefectsInLights(lights, {});
    ASSERT_TRUE(map);
    for (const std::size_t i : hot) {
        EXPECT_EQ(map->pixels[i], Defect::Hot) << i;
    }
    EXPECT_EQ(map->count(), static_cast<int>(hot.size()));
    CalibrationSet set;
    set.noise = {1.0, 5.0, 65535.0};
    set.defects = &*map;
    const auto light = frame::readFrame(lights.example.path);
    ASSERT_TRUE(light);
    EXPECT_EQ(Calibrator(set, lights.example).apply(*light, lights.example).defects,
              static_cast<int>(hot.size()))
        << "the header counts them";
}

TEST(LibraryTest, AMasterComesBackAnotherNightAsItWas) {
    const TemporaryFolder folder;
    ToyCamera camera(64, 48, 3);
    auto darks = camera.group(folder, frame::FrameKind::Dark, 6, 60.0, 0.0);
    for (auto& info : darks.frames) {
        info.camera = "Brack M2";
        info.temperatureCelsius = -12.0;
        info.gainSetting = 100.0;
        info.filter = "";
    }
    darks.example = darks.frames.front();
    auto master = buildMaster(darks, {}, {});
    ASSERT_TRUE(master);
    master->key = "00112233445566778899aabbccddeeff";
    std::filesystem::create_directory(folder / "library");
    const auto path = libraryPath(folder / "library", *master);
    EXPECT_EQ(path.filename(), "dark_60s_-12C_00112233.fits");
    ASSERT_TRUE(writeMaster(path, *master));
    const auto found = scanLibrary(folder / "library", {});
    ASSERT_TRUE(found);
    ASSERT_EQ(found->size(), 1U);
    const auto& info = found->front();
    EXPECT_TRUE(info.isMaster);
    EXPECT_EQ(info.kind, frame::FrameKind::Dark);
    EXPECT_EQ(info.camera, "Brack M2");
    EXPECT_EQ(info.exposureSeconds, 60.0);
    EXPECT_EQ(info.temperatureCelsius, -12.0);
    EXPECT_EQ(info.gainSetting, 100.0);
    const auto again = readMaster(path);
    ASSERT_TRUE(again);
    EXPECT_EQ(again->frameCount, 6);
    EXPECT_EQ(again->image.at(7, 7), master->image.at(7, 7));
    EXPECT_EQ(again->variance.at(7, 7), master->variance.at(7, 7));
    EXPECT_TRUE(scanLibrary(folder / "not there yet", {})->empty());
}

} // namespace
} // namespace pathmark::calibrate
