#include "core/frame/frame_info.h"

#include <gtest/gtest.h>

#include <string>
#include <utility>
#include <variant>
#include <vector>

namespace pathmark::frame {
namespace {

using Cards =
    std::vector<std::pair<std::string, std::variant<std::string, double, long long, bool>>>;

Header headerOf(const Cards& cards) {
    Header header;
    for (const auto& [key, value] : cards) {
        header.set(key, value);
    }
    return header;
}

const std::string kStart = "2034-03-17T21:02:11.500";

struct KindCase {
    std::string path;
    Cards cards;
    FrameKind kind;
};

class KindTest : public testing::TestWithParam<KindCase> {};

TEST_P(KindTest, IsFoundAndSaysWhy) {
    const auto info = describeFrame(GetParam().path, 10, 10, headerOf(GetParam().cards));
    EXPECT_EQ(info.kind, GetParam().kind) << info.kindReason;
    EXPECT_FALSE(info.kindReason.empty());
}

INSTANTIATE_TEST_SUITE_P(
    Sorting,
    KindTest,
    testing::Values(
        KindCase{"/n/a.fits", {{"IMAGETYP", std::string("Light Frame")}}, FrameKind::Light},
        KindCase{"/n/a.fits", {{"IMAGETYP", std::string("Flat Field")}}, FrameKind::Flat},
        KindCase{"/n/a.fits", {{"FRAMETYP", std::string("flat-dark")}}, FrameKind::FlatDark},
        KindCase{"/n/a.fits", {{"OBSTYPE", std::string("zero")}}, FrameKind::Bias},
        KindCase{"/n/a.fits", {{"OBSTYPE", std::string("object")}}, FrameKind::Light},
        KindCase{"/n/darks/a.fits", {}, FrameKind::Dark},
        KindCase{"/n/x/bias_001.fits", {}, FrameKind::Bias},
        // The header is believed before the folder.
        KindCase{"/n/darks/a.fits", {{"IMAGETYP", std::string("Bias Frame")}}, FrameKind::Bias},
        KindCase{"/n/a.fits",
                 {{"DATE-OBS", kStart}, {"EXPTIME", 60.0}, {"OBJECT", std::string("M 1")}},
                 FrameKind::Light},
        KindCase{"/n/a.fits", {}, FrameKind::Unknown}));

TEST(FrameInfoTest, FilterNamesThatMeanTheSameAgree) {
    EXPECT_EQ(describeFrame("/a.fits", 1, 1, headerOf({{"FILTER", std::string("Red")}})).filter,
              "R");
    EXPECT_EQ(
        describeFrame("/a.fits", 1, 1, headerOf({{"FILTER", std::string("R       ")}})).filter,
        "R");
    EXPECT_EQ(
        describeFrame("/a.fits", 1, 1, headerOf({{"FILTNAM", std::string("Luminance")}})).filter,
        "L");
}

/// Frames that differ after an inner dot must not share the name of their results.
TEST(FrameStemTest, KeepsInnerDots) {
    EXPECT_EQ(frameStem("/n/m1.002.fits"), "m1.002");
    EXPECT_EQ(frameStem("/n/m1.002.fits.gz"), "m1.002");
    EXPECT_EQ(frameStem("/n/m1.FIT.FZ"), "m1");
    EXPECT_EQ(frameStem("m1.fts"), "m1");
}

TEST(FrameInfoTest, ScaleFollowsFromPixelAndFocalLength) {
    const auto info =
        describeFrame("/a.fits", 1, 1, headerOf({{"XPIXSZ", 4.5}, {"FOCALLEN", 884.0}}));
    ASSERT_TRUE(info.scaleArcsec());
    // Truth: 206264.806" x 4.5e-3 / 884.
    EXPECT_NEAR(*info.scaleArcsec(), 1.049990, 1e-5);
}

} // namespace
} // namespace pathmark::frame
