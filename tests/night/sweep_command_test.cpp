#include "core/frame/fits_file.h"
#include "tests/support/calibrated_frames.h"
#include "tests/support/json_keys.h"
#include "tests/support/run_command.h"

#include <fmt/format.h>
#include <gtest/gtest.h>
#include <nlohmann/json.hpp>

#include <cmath>
#include <fstream>
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

/// A body of S/N 3 in a frame among 250 stars, and frames as they come from a calibration: solved, in electrons.
class SweepCommandTest : public testing::Test {
  protected:
    static MovingFramesPlan plan() {
        MovingFramesPlan plan;
        plan.bodyElectrons = 280.0;
        plan.count = 14;
        plan.eastArcsecPerFrame = 1.5;
        plan.northArcsecPerFrame = -0.7;
        return plan;
    }

    void SetUp() override { test_support::writeCalibrated(series_, folder_); }

    [[nodiscard]] Ended call(const std::string& options,
                             const std::string& files = "f*.fits") const {
        return runCommand(fmt::format("sweep {}/{} {}", folder_.path().string(), files, options),
                          folder_);
    }

    MovingFrames series_{plan()};
    TemporaryFolder folder_;
};

/// Truth: the body as it was painted.
TEST_F(SweepCommandTest, ABodyThatNoFrameShowsIsFoundAndMeasured) {
    const Ended ended = call("--rate 0.5 3 --groups 2 --json");
    ASSERT_EQ(ended.status, 0) << ended.errors;
    const json document = json::parse(ended.output);
    EXPECT_EQ(keysOf(document),
              (std::set<std::string>{"motions",
                                     "frames",
                                     "pixels",
                                     "seconds",
                                     "additions_per_second",
                                     "threshold_snr",
                                     "candidates"}));
    EXPECT_EQ(document.at("frames"), 14);
    ASSERT_EQ(document.at("candidates").size(), 1U) << ended.errors;
    const json& found = document.at("candidates").at(0);
    EXPECT_EQ(keysOf(found),
              (std::set<std::string>{"rank",
                                     "ra",
                                     "dec",
                                     "time",
                                     "rate_arcsec_per_min",
                                     "position_angle_deg",
                                     "snr",
                                     "mag",
                                     "log10_false_alarms",
                                     "known_as",
                                     "measurements"}));
    const auto time = parseUtc(found.at("time").get<std::string>());
    ASSERT_TRUE(time);
    EXPECT_LT(separation(series_.bodyAt(*time),
                         skyDegrees(found.at("ra").get<double>(), found.at("dec").get<double>()))
                  .arcsec(),
              0.8);
    EXPECT_NEAR(found.at("rate_arcsec_per_min").get<double>(), std::hypot(1.5, 0.7), 0.1);
    EXPECT_NEAR(found.at("position_angle_deg").get<double>(), 115.0, 4.0);
    EXPECT_LT(found.at("log10_false_alarms").get<double>(), -1.0);
    ASSERT_EQ(found.at("measurements").size(), 2U);
    for (const json& m : found.at("measurements")) {
        EXPECT_EQ(keysOf(m),
                  (std::set<std::string>{"mid_time",
                                         "ra",
                                         "dec",
                                         "ra_err_arcsec",
                                         "dec_err_arcsec",
                                         "mag",
                                         "mag_err",
                                         "snr"}));
        const SkyPos truth = series_.bodyAt(*parseUtc(m.at("mid_time").get<std::string>()));
        const SkyPos there = skyDegrees(m.at("ra").get<double>(), m.at("dec").get<double>());
        const double error =
            std::hypot(m.at("ra_err_arcsec").get<double>(), m.at("dec_err_arcsec").get<double>());
        EXPECT_LT(separation(truth, there).arcsec(), 3.5 * error);
    }
}

TEST_F(SweepCommandTest, WhatCannotBeMeantIsWrongUse) {
    for (const char* options : {"--rate 3 1",
                                "--rate -1 2",
                                "--false-alarms 0",
                                "--groups 0",
                                "--store somewhere",
                                "--body X",
                                "--orbits o.json"}) {
        EXPECT_EQ(call(options).status, 2) << options;
    }
}

TEST_F(SweepCommandTest, TooLittleToMoveIsSaid) {
    const Ended two = call("--json", "f0[01].fits");
    EXPECT_EQ(two.status, 1);
    EXPECT_NE(two.errors.find("4 frames or more"), std::string::npos) << two.errors;
    const Ended slow = call("--rate 0 0.01 --json");
    EXPECT_EQ(slow.status, 1);
    EXPECT_NE(slow.errors.find("No motion"), std::string::npos) << slow.errors;
    EXPECT_FALSE(json::parse(slow.output).at("done").get<bool>());
}

} // namespace
} // namespace pathmark
