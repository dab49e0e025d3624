#include "core/calibrate/match.h"

#include <gtest/gtest.h>

#include <algorithm>

namespace pathmark::calibrate {
namespace {

using frame::FrameInfo;
using frame::FrameKind;

FrameInfo frameOf(FrameKind kind,
                  double exposure,
                  double temperature = -10.0,
                  std::string filter = "",
                  int width = 100) {
    FrameInfo f;
    static int number = 0;
    f.path = "/n/" + std::to_string(number++) + ".fits";
    f.kind = kind;
    f.width = width;
    f.height = 80;
    f.exposureSeconds = exposure;
    f.temperatureCelsius = temperature;
    f.filter = std::move(filter);
    f.camera = "Brack M2";
    f.midExposure = Utc::julian(2464000.0);
    f.pointing = skyDegrees(10.0, 10.0);
    return f;
}

struct Situation {
    std::string what;
    std::vector<FrameInfo> calibration;
    std::string dark; ///< part of the chosen group's title, "" for none
    std::string flat;
    std::string warning; ///< part of a warning, "" for none at all
};

class MatchTest : public testing::TestWithParam<Situation> {};

TEST_P(MatchTest, ChoosesAndSaysWhy) {
    std::vector<FrameInfo> frames{frameOf(FrameKind::Light, 60.0, -10.0, "R")};
    frames.insert(frames.end(), GetParam().calibration.begin(), GetParam().calibration.end());
    const auto groups = groupFrames(frames);
    const auto light = std::find_if(groups.begin(), groups.end(), [](const FrameGroup& g) {
        return g.example.kind == FrameKind::Light;
    });
    const auto match = matchMasters(*light, groups);
    const auto title = [&](std::optional<std::size_t> index) {
        return index ? groups[*index].title() : std::string();
    };
    const std::string dark = title(match.dark         ? match.dark
                                   : match.scaledDark ? match.scaledDark
                                                      : match.bias);
    if (GetParam().dark.empty()) {
        EXPECT_EQ(dark, "");
    } else {
        EXPECT_NE(dark.find(GetParam().dark), std::string::npos) << dark;
    }
    if (GetParam().flat.empty()) {
        EXPECT_EQ(title(match.flat), "");
    } else {
        EXPECT_NE(title(match.flat).find(GetParam().flat), std::string::npos) << title(match.flat);
    }
    std::string warnings;
    for (const auto& warning : match.warnings) {
        warnings += warning + "\n";
    }
    if (GetParam().warning.empty()) {
        EXPECT_EQ(warnings, "");
    } else {
        EXPECT_NE(warnings.find(GetParam().warning), std::string::npos) << warnings;
    }
}

const FrameInfo kBias = frameOf(FrameKind::Bias, 0.0);
const FrameInfo kDark = frameOf(FrameKind::Dark, 60.0);
const FrameInfo kFlat = frameOf(FrameKind::Flat, 3.0, -10.0, "R");

INSTANTIATE_TEST_SUITE_P(
    Situations,
    MatchTest,
    testing::Values(
        Situation{"all there", {kBias, kDark, kFlat}, "dark 60 s", "flat 3 s R", ""},
        Situation{"exposures that differ by less than two per cent agree",
                  {kBias, frameOf(FrameKind::Dark, 60.9), kFlat},
                  "dark 60.9 s",
                  "flat",
                  ""},
        Situation{"a dark of another exposure is scaled with the bias",
                  {kBias, frameOf(FrameKind::Dark, 120.0), kFlat},
                  "dark 120 s",
                  "flat",
                  ""},
        Situation{"a warmer dark is passed over",
                  {kBias, frameOf(FrameKind::Dark, 60.0, 2.0), kFlat},
                  "bias",
                  "flat",
                  "No dark fits"},
        Situation{"a dark of another size is passed over",
                  {kBias, frameOf(FrameKind::Dark, 60.0, -10.0, "", 128), kFlat},
                  "bias",
                  "flat",
                  "No dark fits"},
        Situation{"without bias another exposure is of no use",
                  {frameOf(FrameKind::Dark, 120.0), kFlat},
                  "",
                  "flat",
                  "Take darks of 60 s"},
        Situation{"short flats give way",
                  {kBias, kDark, kFlat, frameOf(FrameKind::Flat, 0.08, -10.0, "R")},
                  "dark 60 s",
                  "flat 3 s",
                  ""},
        Situation{"short flats are used alone, with a warning",
                  {kBias, kDark, frameOf(FrameKind::Flat, 0.08, -10.0, "R")},
                  "dark",
                  "flat 0.08 s",
                  "under 1 s"},
        Situation{"a flat of another filter is none",
                  {kBias, kDark, frameOf(FrameKind::Flat, 3.0, -10.0, "V")},
                  "dark",
                  "",
                  "No flat fits"},
        Situation{
            "a flat without its pedestal warns", {kDark, kFlat}, "dark", "flat", "Take biases"},
        Situation{"nothing at all", {}, "", "", "No dark of 60 s"}));

TEST(GroupFramesTest, UnlikeFramesPart) {
    const std::vector<FrameInfo> frames{frameOf(FrameKind::Light, 60.0, -10.0, "R"),
                                        frameOf(FrameKind::Light, 60.0, -10.1, "R"),
                                        frameOf(FrameKind::Light, 60.0, -10.0, "V"),
                                        frameOf(FrameKind::Light, 30.0, -10.0, "R"),
                                        frameOf(FrameKind::Light, 60.0, -10.0, "R", 128)};
    const auto groups = groupFrames(frames);
    ASSERT_EQ(groups.size(), 4U);
    EXPECT_EQ(groups.front().frames.size(), 2U);
}

} // namespace
} // namespace pathmark::calibrate
