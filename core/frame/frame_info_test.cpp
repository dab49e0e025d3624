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

struct Dialect {
    std::string what;
    Cards cards;
    std::string middle; ///< expected ISO UTC, "" for none
    double ra = -1.0;   ///< expected degrees, < 0 for none
};

class DialectTest : public testing::TestWithParam<Dialect> {};

/// Truth: the middle worked out by hand from each dialect's own convention.
TEST_P(DialectTest, TimeAndPointingAreUnderstood) {
    const auto info = describeFrame("/night/x.fits", 10, 10, headerOf(GetParam().cards));
    if (GetParam().middle.empty()) {
        EXPECT_FALSE(info.midExposure) << GetParam().what;
    } else {
        ASSERT_TRUE(info.midExposure) << GetParam().what << ": " << info.timeReason;
        EXPECT_EQ(toIso(*info.midExposure), GetParam().middle) << GetParam().what;
    }
    if (GetParam().ra < 0.0) {
        EXPECT_FALSE(info.pointing) << GetParam().what;
    } else {
        ASSERT_TRUE(info.pointing) << GetParam().what;
        EXPECT_NEAR(info.pointing->longitude.degrees(), GetParam().ra, 1e-6) << GetParam().what;
    }
}

const std::string kStart = "2034-03-17T21:02:11.500";

INSTANTIATE_TEST_SUITE_P(
    Wild,
    DialectTest,
    testing::Values(
        Dialect{"start with fraction",
                {{"DATE-OBS", kStart}, {"EXPTIME", 60.0}},
                "2034-03-17T21:02:41.500Z"},
        Dialect{"date and time apart",
                {{"DATE-OBS", std::string("2034-03-17")},
                 {"TIME-OBS", std::string("21:02:11.5")},
                 {"EXPOSURE", 30LL}},
                "2034-03-17T21:02:26.500Z"},
        Dialect{"old date with slashes",
                {{"DATE-OBS", std::string("2034/03/17")},
                 {"UT", std::string("21:02:11.5")},
                 {"EXPTIME", 2.0}},
                "2034-03-17T21:02:12.500Z"},
        Dialect{"the middle is stated",
                {{"DATE-OBS", kStart},
                 {"DATE-AVG", std::string("2034-03-17T21:03:00")},
                 {"EXPTIME", 60.0}},
                "2034-03-17T21:03:00.000Z"},
        Dialect{"modified Julian date",
                {{"MJD-OBS", 63539.5}, {"EXPTIME", 20.0}},
                "2032-11-03T12:00:10.000Z"},
        Dialect{
            "only the end", {{"DATE-END", kStart}, {"EXPTIME", 10.0}}, "2034-03-17T21:02:06.500Z"},
        Dialect{"a date alone is no time",
                {{"DATE-OBS", std::string("2034-03-17")}, {"EXPTIME", 10.0}},
                ""},
        Dialect{"degrees", {{"RA", 177.25}, {"DEC", 2.5}}, "", 177.25},
        Dialect{"sexagesimal text",
                {{"RA", std::string("11:49:00")}, {"DEC", std::string("+02:30:00")}},
                "",
                177.25},
        Dialect{"blanks",
                {{"OBJCTRA", std::string("11 49 00")}, {"OBJCTDEC", std::string("+02 30 00")}},
                "",
                177.25},
        Dialect{
            "hours as a number", {{"OBJCTRA", 11.816666666666666}, {"OBJCTDEC", 2.5}}, "", 177.25},
        Dialect{"no declination", {{"RA", 177.25}}, ""}));

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
