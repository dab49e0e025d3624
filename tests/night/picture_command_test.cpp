#include "core/frame/fits_file.h"
#include "tests/support/calibrated_frames.h"
#include "tests/support/json_keys.h"
#include "tests/support/run_command.h"

#include <fmt/format.h>
#include <gtest/gtest.h>
#include <nlohmann/json.hpp>

#include <cmath>
#include <set>

namespace pathmark {
namespace {

using nlohmann::json;
using test_support::Ended;
using test_support::keysOf;
using test_support::MovingFrames;
using test_support::MovingFramesPlan;
using test_support::runCommand;
using test_support::TemporaryFolder;

/// Frames of a comet of sixty thousand electrons, in two filters in turn, as they come from a calibration.
class PictureCommandTest : public testing::Test {
  protected:
    static MovingFramesPlan plan() {
        MovingFramesPlan plan;
        plan.side = 240;
        plan.stars = 120;
        plan.count = 10;
        plan.comaElectrons = 60000.0;
        plan.seeingChanges = false;
        return plan;
    }

    void SetUp() override { test_support::writeCalibrated(series_, folder_, {"R", "B"}); }

    /// Rate, angle and place of the body in the middle of the series.
    [[nodiscard]] std::string motion() const {
        const Utc middle = MovingFrames::start().plusSeconds(30.0 * (series_.plan.count - 1));
        const SkyPos there = series_.bodyAt(middle);
        return fmt::format("--rate 6.5 --angle {:.6f} --near {:.7f} {:.7f}",
                           std::atan2(6.0, -2.5) / kRadiansPerDegree,
                           there.longitude.degrees(),
                           there.latitude.degrees());
    }

    [[nodiscard]] Ended call(const std::string& words) const { return runCommand(words, folder_); }

    [[nodiscard]] std::string frames() const { return folder_.path().string() + "/f*.fits"; }

    [[nodiscard]] std::string out(const char* name) const { return (folder_ / name).string(); }

    MovingFrames series_{plan()};
    TemporaryFolder folder_;
};

TEST_F(PictureCommandTest, StarsAndCometAreJoinedInColour) {
    const Ended ended =
        call(fmt::format("picture {} {} --out {} --json", frames(), motion(), out("a.fits")));
    ASSERT_EQ(ended.status, 0) << ended.errors;
    const json document = json::parse(ended.output);
    EXPECT_EQ(document.at("frames"), 10);
    EXPECT_EQ(document.at("planes"), "red R, green the mean, blue B");
    // Both filters painted alike: nothing needs to be balanced.
    EXPECT_NEAR(document.at("colour_scales").at(2).get<double>(), 1.0, 0.1);
    const auto picture = frame::readFits(out("a.fits")); // the mean of its planes
    ASSERT_TRUE(picture);
    const auto wcs = frame::readWcs(picture->header);
    ASSERT_TRUE(wcs);
    const auto time = parseUtc(document.at("time").get<std::string>());
    const auto nucleus = wcs->toPixel(series_.bodyAt(*time));
    ASSERT_TRUE(nucleus);
    // Truth: the place of the body then; the brightest pixel near it is there.
    frame::PixelPos brightest;
    float most = 0.0F;
    for (int y = static_cast<int>(nucleus->y) - 6; y <= nucleus->y + 6; ++y) {
        for (int x = static_cast<int>(nucleus->x) - 6; x <= nucleus->x + 6; ++x) {
            if (picture->image.at(x, y) > most) {
                most = picture->image.at(x, y);
                brightest = {static_cast<double>(x), static_cast<double>(y)};
            }
        }
    }
    EXPECT_LT(std::hypot(brightest.x - nucleus->x, brightest.y - nucleus->y), 1.5);
    EXPECT_GT(most, 100.0F);
}

TEST_F(PictureCommandTest, FormatsAndLayersAreAsAsked) {
    EXPECT_EQ(call(fmt::format("picture {} --out {}", frames(), out("a.png"))).status, 0);
    EXPECT_EQ(call(fmt::format("picture {} {} --layers comet --stretch linear --black 0 --white "
                               "900 --out {}",
                               frames(),
                               motion(),
                               out("a.tif")))
                  .status,
              0);
    EXPECT_TRUE(std::filesystem::exists(out("a.png")));
    EXPECT_TRUE(std::filesystem::exists(out("a.tif")));
}

/// A caption adds rows beneath; the rest of what can be asked for is taken.
TEST_F(PictureCommandTest, MarksLooksAndPlanesAreTaken) {
    const auto make = [&](const char* name, const char* words) {
        const Ended ended = call(
            fmt::format("picture {} {} --out {} {} --json", frames(), motion(), out(name), words));
        EXPECT_EQ(ended.status, 0) << words << ended.errors;
        return std::filesystem::file_size(out(name));
    };
    EXPECT_GT(make("m.png",
                   "--caption --scale-bar --compass --path --smooth 1 --saturation 1.5 --white-is "
                   "average --sky-degree 1 --shape 1:1"),
              1000U);
    const Ended none = call(fmt::format(
        "picture {} {} --out {} --planes Nothing=red --json", frames(), motion(), out("n.png")));
    EXPECT_EQ(none.status, 1);
    EXPECT_NE(none.errors.find("None of the filters"), std::string::npos) << none.errors;
}

TEST_F(PictureCommandTest, AFilmOfTheMotionIsWritten) {
    const Ended ended =
        call(fmt::format("film {} {} --out {} --fps 5 --stamp --path --width 120 --json",
                         frames(),
                         motion(),
                         out("a.mp4")));
    ASSERT_EQ(ended.status, 0) << ended.errors;
    const json document = json::parse(ended.output);
    EXPECT_EQ(keysOf(document),
              (std::set<std::string>{"file", "frames", "seconds", "width", "height", "fps"}));
    EXPECT_EQ(document.at("frames"), 10);
    EXPECT_DOUBLE_EQ(document.at("seconds").get<double>(), 2.0);
    EXPECT_EQ(document.at("width"), 120);
    EXPECT_GT(std::filesystem::file_size(out("a.mp4")), 1000U);
}

TEST_F(PictureCommandTest, WhatCannotBeMeantIsWrongUse) {
    for (const std::string& words : {std::string("--out a.jpg"),
                                     "--layers comet --out " + out("b.png"),
                                     "--layers moon --out " + out("b.png"),
                                     "--stretch log --out " + out("b.png"),
                                     "--black 5 --white 4 --out " + out("b.png"),
                                     "--crop 1 95 3 3 --out " + out("b.png"),
                                     "--shape 4 --out " + out("b.png"),
                                     "--planes V=violet --out " + out("b.png"),
                                     "--white-is snow --out " + out("b.png"),
                                     "--saturation -1 --out " + out("b.png"),
                                     "--smooth 9 --out " + out("b.png"),
                                     "--sky-degree 7 --out " + out("b.png"),
                                     "--store x --out " + out("b.png")}) {
        EXPECT_EQ(call("picture " + frames() + " " + words).status, 2) << words;
    }
    for (const std::string& words : {"--out " + out("b.mp4"),
                                     "--stars --out " + out("b.avi"),
                                     "--stars --fps 0 --out " + out("b.mp4"),
                                     "--stars --width 3 --out " + out("b.mp4"),
                                     "--stars --pause 99 --out " + out("b.mp4"),
                                     "--stars --path --out " + out("b.mp4")}) {
        EXPECT_EQ(call("film " + frames() + " " + words).status, 2) << words;
    }
    EXPECT_FALSE(std::filesystem::exists(out("b.png")));
    EXPECT_FALSE(std::filesystem::exists(out("b.mp4")));
}

TEST_F(PictureCommandTest, TooLittleIsSaid) {
    const Ended one = call(fmt::format(
        "film {}/f00.fits --stars --out {} --json", folder_.path().string(), out("c.mp4")));
    EXPECT_EQ(one.status, 1);
    EXPECT_NE(one.errors.find("two solved frames"), std::string::npos) << one.errors;
    const Ended beside =
        call(fmt::format("picture {} --crop 10 10 5 5 --out {} --json", frames(), out("c.png")));
    EXPECT_EQ(beside.status, 1);
    EXPECT_FALSE(std::filesystem::exists(out("c.png")));
}

} // namespace
} // namespace pathmark
