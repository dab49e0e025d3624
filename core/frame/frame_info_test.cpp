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

/// Truth: J. Meeus, Astronomical Algorithms (2nd ed.), example 21.b: a star of J2000 at the equinox of JD 2462088.69. His theory of
/// precession is that of 1976; that of 2006 lies 0.1" from it after 29 years.
TEST(PointingTest, AnotherEquinoxIsTakenToIcrs) {
    const auto info =
        describeFrame("/n/a.fits",
                      10,
                      10,
                      headerOf({{"RA", 41.547214},
                                {"DEC", 49.348483},
                                {"EQUINOX", 2000.0 + (2462088.69 - 2451545.0) / 365.25}}));
    ASSERT_TRUE(info.pointing);
    EXPECT_NEAR(info.pointing->longitude.degrees(), 41.054063, 0.2 / 3600);
    EXPECT_NEAR(info.pointing->latitude.degrees(), 49.227750, 0.2 / 3600);
    // Said in words, as some mounts do, it is that of the date.
    const auto now = describeFrame("/n/a.fits",
                                   10,
                                   10,
                                   headerOf({{"RA", 41.547214},
                                             {"DEC", 49.348483},
                                             {"EQUINOX", std::string("JNOW")},
                                             {"EXPTIME", 0.0},
                                             {"DATE-OBS", std::string("2028-11-13T04:33:36")}}));
    ASSERT_TRUE(now.pointing);
    EXPECT_NEAR(now.pointing->longitude.degrees(), 41.054063, 0.5 / 3600);
    const auto plain = describeFrame(
        "/n/a.fits", 10, 10, headerOf({{"RA", 41.5}, {"DEC", 49.0}, {"EQUINOX", 2000.0}}));
    EXPECT_DOUBLE_EQ(plain.pointing->longitude.degrees(), 41.5);
}

TEST(BayerTest, APatternThatIsNotKnownIsSaid) {
    const auto withPattern = [](const std::string& pattern) {
        return describeFrame("/n/a.fits", 12, 12, headerOf({{"BAYERPAT", pattern}}));
    };
    const std::string six = "GBGGRGRGRBGBGBGGRGGRGGBGBGBRGRGRGGBG";
    EXPECT_EQ(withPattern(six).bayerPattern, six);
    EXPECT_TRUE(withPattern(six).notes.empty());
    for (const char* strange : {"CMYG", "RGBRGBRGBRGBRGBRGBRGBRGBRGBRGBRGBRGB"}) {
        const auto info = withPattern(strange);
        EXPECT_EQ(info.bayerPattern, "") << strange;
        ASSERT_EQ(info.notes.size(), 1U) << strange;
        EXPECT_NE(info.notes[0].find("2 x 2"), std::string::npos);
    }
    EXPECT_TRUE(withPattern("NONE").notes.empty());
}

} // namespace
} // namespace pathmark::frame
