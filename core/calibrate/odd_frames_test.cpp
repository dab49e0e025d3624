#include "core/calibrate/odd_frames.h"

#include <gtest/gtest.h>

#include <functional>

namespace pathmark::calibrate {
namespace {

using frame::FrameInfo;

/// Twenty lights alike, the eighth changed.
std::vector<OddFrame> oddAmongTwenty(const std::function<void(FrameInfo&)>& change) {
    std::vector<FrameInfo> frames;
    for (int i = 0; i < 20; ++i) {
        FrameInfo info;
        info.path = "/n/" + std::to_string(100 + i) + ".fits";
        info.kind = frame::FrameKind::Light;
        info.width = 640;
        info.height = 512;
        info.exposureSeconds = 60.0;
        info.exposureKnown = true;
        info.temperatureCelsius = -10.0 + 0.1 * (i % 3);
        info.filter = "R";
        info.object = "Field";
        info.midExposure = Utc::julian(2464000.0, 0.001 * i);
        info.sample = frame::PixelSample{900.0 + 2.0 * (i % 5), 12.0, 1e-4, 1.0};
        frames.push_back(info);
    }
    change(frames[7]);
    return findOddFrames(frames);
}

struct Oddity {
    std::string what;
    std::function<void(FrameInfo&)> change;
    std::string words;
};

class OddFramesTest : public testing::TestWithParam<Oddity> {};

/// Truth: the one frame that was changed, and how.
TEST_P(OddFramesTest, TheOneThatDiffersIsNamedWithTheReason) {
    const auto odd = oddAmongTwenty(GetParam().change);
    ASSERT_EQ(odd.size(), 1U);
    EXPECT_EQ(odd.front().path, "/n/107.fits");
    EXPECT_EQ(odd.front().what, GetParam().what);
    EXPECT_NE(odd.front().words.find(GetParam().words), std::string::npos) << odd.front().words;
}

INSTANTIATE_TEST_SUITE_P(
    Kinds,
    OddFramesTest,
    testing::Values(
        Oddity{"exposure",
               [](FrameInfo& f) { f.exposureSeconds = 30.0; },
               "30 s among 19 frames of 60 s"},
        Oddity{"exposure", [](FrameInfo& f) { f.exposureKnown = false; }, "no exposure among 19"},
        Oddity{
            "size", [](FrameInfo& f) { f.width = 320; }, "320 x 512 among 19 frames of 640 x 512"},
        Oddity{"size", [](FrameInfo& f) { f.planes = 3; }, "640 x 512 in colour among 19"},
        Oddity{"binning", [](FrameInfo& f) { f.binningX = 2; }, "binning 2 x 1 among 19"},
        Oddity{
            "filter", [](FrameInfo& f) { f.filter = "V"; }, "filter V among 19 frames of filter R"},
        Oddity{"gain",
               [](FrameInfo& f) { f.gainSetting = 200.0; },
               "gain 200 among 19 frames of no gain"},
        Oddity{"temperature",
               [](FrameInfo& f) { f.temperatureCelsius = -5.0; },
               "-5.0 °C, the others"},
        Oddity{"level", [](FrameInfo& f) { f.sample->level = 2500.0; }, "a level of 2500 ADU"},
        Oddity{"header",
               [](FrameInfo& f) { f.notes.emplace_back("EXPTIME stands twice"); },
               "stands twice"}));

TEST(FindOddFramesTest, AFrameThatIsOddInTwoWaysIsNamedOnce) {
    const auto odd = oddAmongTwenty([](FrameInfo& info) {
        info.exposureSeconds *= 0.5;
        info.filter = "Z";
    });
    ASSERT_EQ(odd.size(), 1U);
    EXPECT_NE(odd.front().what.find("exposure"), std::string::npos) << odd.front().what;
    EXPECT_NE(odd.front().what.find("filter"), std::string::npos) << odd.front().what;
}

TEST(FindOddFramesTest, AnEvenNightHasNone) {
    EXPECT_TRUE(oddAmongTwenty([](FrameInfo&) {}).empty());
    EXPECT_TRUE(findOddFrames({}).empty());
}

/// Of three frames the one that stands alone is odd; a filter of its own is not, for filters are changed on purpose.
TEST(OddOfThreeTest, TheOneThatStandsAlone) {
    const auto oddOf = [](const std::function<void(FrameInfo&)>& change) {
        std::vector<FrameInfo> frames(3);
        for (std::size_t i = 0; i < frames.size(); ++i) {
            frames[i].path = "/n/" + std::to_string(i) + ".fits";
            frames[i].kind = frame::FrameKind::Dark;
            frames[i].exposureSeconds = 60.0;
            frames[i].exposureKnown = true;
            frames[i].temperatureCelsius = -10.0;
            frames[i].midExposure = Utc::julian(2464000.0, 0.001 * static_cast<double>(i));
            frames[i].sample = frame::PixelSample{500.0 + static_cast<double>(i), 12.0, 1e-4, 1.0};
        }
        change(frames[1]);
        return findOddFrames(frames);
    };
    for (const auto& [what, change] :
         std::vector<std::pair<std::string, std::function<void(FrameInfo&)>>>{
             {"exposure", [](FrameInfo& f) { f.exposureSeconds = 30.0; }},
             {"binning", [](FrameInfo& f) { f.binningX = 2; }},
             {"temperature", [](FrameInfo& f) { f.temperatureCelsius = -2.0; }},
             {"level", [](FrameInfo& f) { f.sample->level = 1500.0; }}}) {
        const auto odd = oddOf(change);
        ASSERT_EQ(odd.size(), 1U) << what;
        EXPECT_EQ(odd.front().path, "/n/1.fits");
        EXPECT_EQ(odd.front().what, what);
    }
    EXPECT_TRUE(oddOf([](FrameInfo& f) {
                    f.kind = frame::FrameKind::Light;
                    f.filter = "R";
                }).empty());
    EXPECT_TRUE(oddOf([](FrameInfo&) {}).empty());
}

} // namespace
} // namespace pathmark::calibrate
