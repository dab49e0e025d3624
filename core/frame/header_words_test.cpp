#include "core/frame/equipment.h"
#include "core/frame/frame_info.h"
#include "tests/support/temporary_folder.h"

#include <gtest/gtest.h>

#include <cmath>
#include <fstream>
#include <string>
#include <utility>
#include <variant>
#include <vector>

namespace pathmark::frame {
namespace {

using Value = std::variant<std::string, double, long long, bool>;

/// One header as somebody writes it: "KEY=value" or "KEY=value/comment"; a value in quotes is a text.
Header headerOf(const std::vector<std::string>& cards) {
    Header header;
    for (const std::string& text : cards) {
        const std::size_t equals = text.find('=');
        std::string value = text.substr(equals + 1);
        std::string comment;
        if (const std::size_t slash = value.find(" / "); slash != std::string::npos) {
            comment = value.substr(slash + 3);
            value.resize(slash);
        }
        Value parsed = value;
        if (value.front() == '\'') {
            parsed = value.substr(1, value.size() - 2);
        } else if (value == "T" || value == "F") {
            parsed = value == "T";
        } else if (value.find_first_of(".eE") == std::string::npos) {
            parsed = std::stoll(value);
        } else {
            parsed = std::stod(value);
        }
        header.add({text.substr(0, equals), parsed, comment});
    }
    return header;
}

struct Spelling {
    std::string what;
    std::vector<std::string> cards;
    std::string middle; ///< "" for none
    double ra;          ///< degrees; below 0 for none
    double dec;
    std::string filter;
    double temperature; ///< 999 for none
};

class HeaderWordsTest : public testing::TestWithParam<Spelling> {};

/// Truth: worked out by hand from each spelling's own convention; half of the exposure added where it is the start.
TEST_P(HeaderWordsTest, GiveTimePointingFilterAndTemperature) {
    const Spelling& s = GetParam();
    const auto info = describeFrame("/night/x.fits", 10, 10, headerOf(s.cards));
    if (s.middle.empty()) {
        EXPECT_FALSE(info.midExposure) << s.what;
    } else {
        ASSERT_TRUE(info.midExposure) << s.what << ": " << info.timeReason;
        EXPECT_EQ(toIso(*info.midExposure), s.middle) << s.what << ": " << info.timeReason;
    }
    if (s.ra < 0.0) {
        EXPECT_FALSE(info.pointing) << s.what;
    } else {
        ASSERT_TRUE(info.pointing) << s.what;
        EXPECT_NEAR(info.pointing->longitude.degrees(), s.ra, 2e-4) << s.what;
        EXPECT_NEAR(info.pointing->latitude.degrees(), s.dec, 2e-4) << s.what;
    }
    EXPECT_EQ(info.filter, s.filter) << s.what;
    if (s.temperature > 900.0) {
        EXPECT_FALSE(info.temperatureCelsius) << s.what;
    } else {
        ASSERT_TRUE(info.temperatureCelsius) << s.what;
        EXPECT_NEAR(*info.temperatureCelsius, s.temperature, 1e-6) << s.what;
    }
}

constexpr double kNone = -1.0;
constexpr double kNoTemperature = 999.0;
const std::string kStart = "DATE-OBS='2034-03-17T21:02:11.500'";
const std::string kMiddle = "2034-03-17T21:02:41.500Z"; // of 60 s

INSTANTIATE_TEST_SUITE_P(
    Times,
    HeaderWordsTest,
    testing::Values(
        Spelling{
            "start with fraction", {kStart, "EXPTIME=60.0"}, kMiddle, kNone, 0, "", kNoTemperature},
        Spelling{"exposure as a whole number",
                 {kStart, "EXPOSURE=60"},
                 kMiddle,
                 kNone,
                 0,
                 "",
                 kNoTemperature},
        Spelling{
            "exposure as text", {kStart, "EXPTIME='60.0'"}, kMiddle, kNone, 0, "", kNoTemperature},
        Spelling{"exposure in milliseconds",
                 {kStart, "EXPMS=60000"},
                 kMiddle,
                 kNone,
                 0,
                 "",
                 kNoTemperature},
        Spelling{"exposure in microseconds",
                 {kStart, "EXPUS=60000000"},
                 kMiddle,
                 kNone,
                 0,
                 "",
                 kNoTemperature},
        Spelling{
            "exposure in minutes", {kStart, "EXPMIN=1.0"}, kMiddle, kNone, 0, "", kNoTemperature},
        Spelling{"two exposure keywords",
                 {kStart, "EXPTIME=60.0", "EXPOSURE=60.0"},
                 kMiddle,
                 kNone,
                 0,
                 "",
                 kNoTemperature},
        Spelling{"trailing Z",
                 {"DATE-OBS='2034-03-17T21:02:11.500Z'", "EXPTIME=60.0"},
                 kMiddle,
                 kNone,
                 0,
                 "",
                 kNoTemperature},
        Spelling{"seven decimals",
                 {"DATE-OBS='2034-03-17T21:02:11.5000000'", "EXPTIME=60.0"},
                 kMiddle,
                 kNone,
                 0,
                 "",
                 kNoTemperature},
        Spelling{"blank for the T",
                 {"DATE-OBS='2034-03-17 21:02:11.5'", "EXPTIME=60.0"},
                 kMiddle,
                 kNone,
                 0,
                 "",
                 kNoTemperature},
        Spelling{"decimal comma",
                 {"DATE-OBS='2034-03-17T21:02:11,5'", "EXPTIME=60.0"},
                 kMiddle,
                 kNone,
                 0,
                 "",
                 kNoTemperature},
        Spelling{"no fraction",
                 {"DATE-OBS='2034-03-17T21:02:11'", "EXPTIME=60.0"},
                 "2034-03-17T21:02:41.000Z",
                 kNone,
                 0,
                 "",
                 kNoTemperature},
        Spelling{"no fraction, but a day number with one",
                 {"DATE-OBS='2034-03-17T21:02:11'", "MJD-OBS=64038.87652199074", "EXPTIME=60.0"},
                 kMiddle,
                 kNone,
                 0,
                 "",
                 kNoTemperature},
        Spelling{"date and time apart",
                 {"DATE-OBS='2034-03-17'", "TIME-OBS='21:02:11.5'", "EXPTIME=60.0"},
                 kMiddle,
                 kNone,
                 0,
                 "",
                 kNoTemperature},
        Spelling{"time with hyphens",
                 {"DATE-OBS='2034-03-17'", "UT='21-02-11.5'", "EXPTIME=60.0"},
                 kMiddle,
                 kNone,
                 0,
                 "",
                 kNoTemperature},
        Spelling{"time with blanks",
                 {"DATE-OBS='2034-03-17'", "UTSTART='21 02 11.5'", "EXPTIME=60.0"},
                 kMiddle,
                 kNone,
                 0,
                 "",
                 kNoTemperature},
        Spelling{"time with letters",
                 {"DATE-OBS='2034-03-17'", "UT-START='21h02m11.5s'", "EXPTIME=60.0"},
                 kMiddle,
                 kNone,
                 0,
                 "",
                 kNoTemperature},
        Spelling{"time in decimal hours",
                 {"DATE-OBS='2034-03-17'", "UT=21.03652777778", "EXPTIME=60.0"},
                 kMiddle,
                 kNone,
                 0,
                 "",
                 kNoTemperature},
        Spelling{"time in seconds of the day",
                 {"DATE-OBS='2034-03-17'", "UTSEC=75731.5", "EXPTIME=60.0"},
                 kMiddle,
                 kNone,
                 0,
                 "",
                 kNoTemperature},
        Spelling{"time packed",
                 {"DATE-OBS='2034-03-17'", "UT='210211.5'", "EXPTIME=60.0"},
                 kMiddle,
                 kNone,
                 0,
                 "",
                 kNoTemperature},
        Spelling{"date with slashes",
                 {"DATE-OBS='2034/03/17'", "UT='21:02:11.5'", "EXPTIME=60.0"},
                 kMiddle,
                 kNone,
                 0,
                 "",
                 kNoTemperature},
        Spelling{"date with points",
                 {"DATE-OBS='2034.03.17'", "UT='21:02:11.5'", "EXPTIME=60.0"},
                 kMiddle,
                 kNone,
                 0,
                 "",
                 kNoTemperature},
        Spelling{"date packed",
                 {"DATE-OBS='20340317'", "UT='21:02:11.5'", "EXPTIME=60.0"},
                 kMiddle,
                 kNone,
                 0,
                 "",
                 kNoTemperature},
        Spelling{"the old standard, day first, of the last century",
                 {"DATE-OBS='17/03/94'", "UT='21:02:11.5'", "EXPTIME=60.0"},
                 "1994-03-17T21:02:41.500Z",
                 kNone,
                 0,
                 "",
                 kNoTemperature},
        Spelling{"another date keyword",
                 {"UTDATE='2034-03-17'", "UTC='21:02:11.5'", "EXPTIME=60.0"},
                 kMiddle,
                 kNone,
                 0,
                 "",
                 kNoTemperature},
        Spelling{"the beginning stated",
                 {"DATE-BEG='2034-03-17T21:02:11.500'", "XPOSURE=60.0"},
                 kMiddle,
                 kNone,
                 0,
                 "",
                 kNoTemperature},
        Spelling{"the middle stated",
                 {kStart, "DATE-AVG='2034-03-17T21:03:00'", "EXPTIME=60.0"},
                 "2034-03-17T21:03:00.000Z",
                 kNone,
                 0,
                 "",
                 kNoTemperature},
        Spelling{"the middle as a day number",
                 {kStart, "MJD-MID=64038.875", "EXPTIME=60.0"},
                 "2034-03-17T21:00:00.000Z",
                 kNone,
                 0,
                 "",
                 kNoTemperature},
        Spelling{"the middle's clock beside the date",
                 {"DATE-OBS='2034-03-17'", "UT-MID='21:02:41.5'", "EXPTIME=60.0"},
                 kMiddle,
                 kNone,
                 0,
                 "",
                 kNoTemperature},
        Spelling{"the comment says middle",
                 {"DATE-OBS='2034-03-17T21:02:41.500' / middle of exposure", "EXPTIME=60.0"},
                 kMiddle,
                 kNone,
                 0,
                 "",
                 kNoTemperature},
        Spelling{"the comment says end",
                 {"DATE-OBS='2034-03-17T21:03:11.500' / UTC at end of exposure", "EXPTIME=60.0"},
                 kMiddle,
                 kNone,
                 0,
                 "",
                 kNoTemperature},
        Spelling{"only the end",
                 {"DATE-END='2034-03-17T21:03:11.500'", "EXPTIME=60.0"},
                 kMiddle,
                 kNone,
                 0,
                 "",
                 kNoTemperature},
        Spelling{"the end's clock, past midnight",
                 {"DATE-OBS='2034-03-17T23:59:40'", "TIME-END='00:00:40'"},
                 "2034-03-18T00:00:10.000Z",
                 kNone,
                 0,
                 "",
                 kNoTemperature},
        Spelling{"start and end give the exposure",
                 {"DATE-BEG='2034-03-17T21:02:11.500'", "DATE-END='2034-03-17T21:03:11.500'"},
                 kMiddle,
                 kNone,
                 0,
                 "",
                 kNoTemperature},
        Spelling{"modified Julian date",
                 {"MJD-OBS=64038.8764062500", "EXPTIME=60.0"},
                 "2034-03-17T21:02:31.500Z",
                 kNone,
                 0,
                 "",
                 kNoTemperature},
        Spelling{"Julian date",
                 {"JD=2464039.37640625", "EXPTIME=60.0"},
                 "2034-03-17T21:02:31.500Z",
                 kNone,
                 0,
                 "",
                 kNoTemperature},
        Spelling{"Julian date under the other's keyword",
                 {"MJD-OBS=2464039.37640625", "EXPTIME=60.0"},
                 "2034-03-17T21:02:31.500Z",
                 kNone,
                 0,
                 "",
                 kNoTemperature},
        Spelling{"Julian date as text",
                 {"JD='2464039.37640625'", "EXPTIME=60.0"},
                 "2034-03-17T21:02:31.500Z",
                 kNone,
                 0,
                 "",
                 kNoTemperature},
        Spelling{"seconds since 1970",
                 {"UNIXTIME=2026242121.5", "EXPTIME=60.0"},
                 "2034-03-17T21:02:31.500Z",
                 kNone,
                 0,
                 "",
                 kNoTemperature},
        Spelling{"in TAI",
                 {"DATE-OBS='2034-03-17T21:02:48.500'", "TIMESYS='TAI'", "EXPTIME=60.0"},
                 kMiddle,
                 kNone,
                 0,
                 "",
                 kNoTemperature},
        Spelling{"in TT",
                 {"DATE-OBS='2034-03-17T21:03:20.684'", "TIMESYS='TT'", "EXPTIME=60.0"},
                 kMiddle,
                 kNone,
                 0,
                 "",
                 kNoTemperature},
        Spelling{"in GPS time",
                 {"DATE-OBS='2034-03-17T21:02:29.500'", "TIMESYS='GPS'", "EXPTIME=60.0"},
                 kMiddle,
                 kNone,
                 0,
                 "",
                 kNoTemperature},
        Spelling{"a date alone is no time",
                 {"DATE-OBS='2034-03-17'", "EXPTIME=60.0"},
                 "",
                 kNone,
                 0,
                 "",
                 kNoTemperature},
        Spelling{
            "an empty date", {"DATE-OBS=''", "EXPTIME=60.0"}, "", kNone, 0, "", kNoTemperature},
        Spelling{"an impossible clock",
                 {"DATE-OBS='2034-03-17T25:02:11'", "EXPTIME=60.0"},
                 "",
                 kNone,
                 0,
                 "",
                 kNoTemperature}));

INSTANTIATE_TEST_SUITE_P(
    Rest,
    HeaderWordsTest,
    testing::Values(
        Spelling{
            "degrees", {"RA=166.6440", "DEC=-6.4148"}, "", 166.6440, -6.4148, "", kNoTemperature},
        Spelling{"sexagesimal with blanks",
                 {"OBJCTRA='11 06 34.56'", "OBJCTDEC='-06 24 53.3'"},
                 "",
                 166.6440,
                 -6.4148,
                 "",
                 kNoTemperature},
        Spelling{"sexagesimal with colons",
                 {"RA='11:06:34.56'", "DEC='-06:24:53.3'"},
                 "",
                 166.6440,
                 -6.4148,
                 "",
                 kNoTemperature},
        Spelling{"sexagesimal with letters",
                 {"RA='11h06m34.56s'", "DEC='-06d24m53.3s'"},
                 "",
                 166.6440,
                 -6.4148,
                 "",
                 kNoTemperature},
        Spelling{"sexagesimal with signs",
                 {"TELRA='11h 06m 34.56s'", "TELDEC='-06° 24'' 53.3\"'"},
                 "",
                 166.6440,
                 -6.4148,
                 "",
                 kNoTemperature},
        Spelling{"minus nought degrees",
                 {"RA='11:06:34.56'", "DEC='-00:24:53.3'"},
                 "",
                 166.6440,
                 -0.4148,
                 "",
                 kNoTemperature},
        Spelling{"bare hours by their keyword",
                 {"OBJCTRA='11.1096'", "OBJCTDEC='-6.4148'"},
                 "",
                 166.6440,
                 -6.4148,
                 "",
                 kNoTemperature},
        Spelling{"bare hours by their comment",
                 {"RA=11.1096 / hours", "DEC=-6.4148"},
                 "",
                 166.6440,
                 -6.4148,
                 "",
                 kNoTemperature},
        Spelling{"degrees by their comment",
                 {"OBJCTRA=166.6440 / [deg]", "OBJCTDEC=-6.4148"},
                 "",
                 166.6440,
                 -6.4148,
                 "",
                 kNoTemperature},
        Spelling{"from a solution",
                 {"CTYPE1='RA---TAN'", "CRVAL1=166.6440", "CRVAL2=-6.4148"},
                 "",
                 166.6440,
                 -6.4148,
                 "",
                 kNoTemperature},
        Spelling{"galactic coordinates are no pointing",
                 {"CTYPE1='GLON-TAN'", "CRVAL1=166.6440", "CRVAL2=-6.4148"},
                 "",
                 kNone,
                 0,
                 "",
                 kNoTemperature},
        Spelling{"an impossible declination gives way",
                 {"RA=166.6", "DEC=-96.4", "OBJCTRA='11 06 34.56'", "OBJCTDEC='-06 24 53.3'"},
                 "",
                 166.6440,
                 -6.4148,
                 "",
                 kNoTemperature},
        Spelling{"only half a pointing", {"RA=166.6440"}, "", kNone, 0, "", kNoTemperature},
        Spelling{"a filter in words", {"FILTER='Red'"}, "", kNone, 0, "R", kNoTemperature},
        Spelling{"a filter of a system", {"FILTER='Johnson V'"}, "", kNone, 0, "V", kNoTemperature},
        Spelling{
            "a filter with its number", {"FILTNAM='Cousins R'"}, "", kNone, 0, "R", kNoTemperature},
        Spelling{"luminance", {"FILTER='Luminance'"}, "", kNone, 0, "L", kNoTemperature},
        Spelling{"clear", {"FILTER='Clear'"}, "", kNone, 0, "C", kNoTemperature},
        Spelling{"two wheels, the first empty",
                 {"FILTER1='Open'", "FILTER2='Sloan r'"},
                 "",
                 kNone,
                 0,
                 "r",
                 kNoTemperature},
        Spelling{"two wheels, both empty",
                 {"FILTER1='Open'", "FILTER2='air'"},
                 "",
                 kNone,
                 0,
                 "C",
                 kNoTemperature},
        Spelling{"an unknown filter stays as it is",
                 {"FILTER='Quartz 7'"},
                 "",
                 kNone,
                 0,
                 "Quartz 7",
                 kNoTemperature},
        Spelling{"set point", {"SET-TEMP=-10.0", "CCD-TEMP=-10.2"}, "", kNone, 0, "", -10.0},
        Spelling{"a cooler that does not hold",
                 {"SET-TEMP=-20.0", "CCD-TEMP=-11.5"},
                 "",
                 kNone,
                 0,
                 "",
                 -11.5},
        Spelling{"measured only, with its unit", {"DET-TEMP='-12.5 C'"}, "", kNone, 0, "", -12.5},
        Spelling{"kelvin by its keyword", {"DETTEMPK=263.15"}, "", kNone, 0, "", -10.0},
        Spelling{"kelvin by its size", {"CCD-TEMP=263.15"}, "", kNone, 0, "", -10.0}));

FrameInfo infoOf(const std::vector<std::string>& cards) {
    return describeFrame("/night/x.fits", 100, 80, headerOf(cards));
}

TEST(DescribeFrameTest, BinningInEverySpelling) {
    for (const char* card :
         {"XBINNING=2", "CCDSUM='2 2'", "BINNING='2x2'", "BIN-FACT=2", "CCDXBIN='2'"}) {
        EXPECT_EQ(infoOf({card}).binningX, 2) << card;
        EXPECT_EQ(infoOf({card}).binningY, 2) << card;
    }
    EXPECT_EQ(infoOf({"CCDSUM='1 3'"}).binningX, 1);
    EXPECT_EQ(infoOf({"CCDSUM='1 3'"}).binningY, 3);
    EXPECT_EQ(infoOf({"XBINNING=0"}).binningX, 1);
}

TEST(DescribeFrameTest, GainIsASettingOrElectronsByItsComment) {
    EXPECT_EQ(infoOf({"GAIN=120"}).gainSetting, 120.0);
    EXPECT_FALSE(infoOf({"GAIN=120"}).electronsPerAdu);
    const auto electrons = infoOf({"GAIN=1.4 / electrons per ADU"});
    EXPECT_EQ(electrons.electronsPerAdu, 1.4);
    EXPECT_FALSE(electrons.gainSetting);
    EXPECT_EQ(infoOf({"GAIN=120", "EGAIN=0.25"}).electronsPerAdu, 0.25);
    EXPECT_FALSE(infoOf({"EGAIN=-3.0"}).electronsPerAdu);
}

TEST(DescribeFrameTest, OpticsInEveryUnit) {
    EXPECT_NEAR(*infoOf({"XPIXSZ=9.0", "FOCALLEN=1000.0"}).scaleArcsec(), 1.8564, 1e-4);
    EXPECT_NEAR(*infoOf({"XPIXSZ='9.0 um'", "FOCALM=1.0"}).scaleArcsec(), 1.8564, 1e-4);
    EXPECT_NEAR(*infoOf({"PXSIZEMM=0.009", "FOCALLEN='1000 mm'"}).scaleArcsec(), 1.8564, 1e-4);
    EXPECT_NEAR(*infoOf({"SECPIX=1.234", "XPIXSZ=9.0", "FOCALLEN=1.0"}).scaleArcsec(), 1.234, 1e-9);
    EXPECT_FALSE(infoOf({"FOCALLEN=1000.0"}).scaleArcsec());
}

/// Truth: the pattern of the file's rows worked out on paper.
TEST(DescribeFrameTest, BayerPatternFollowsOffsetsAndRowOrder) {
    EXPECT_EQ(infoOf({"BAYERPAT='RGGB'"}).bayerPattern, "RGGB");
    EXPECT_EQ(infoOf({"BAYERPAT='rggb'"}).bayerPattern, "RGGB");
    EXPECT_EQ(infoOf({"BAYERPAT='RGGB'", "XBAYROFF=1"}).bayerPattern, "GRBG");
    EXPECT_EQ(infoOf({"BAYERPAT='RGGB'", "YBAYROFF=1"}).bayerPattern, "GBRG");
    EXPECT_EQ(infoOf({"BAYERPAT='RGGB'", "ROWORDER='TOP-DOWN'"}).bayerPattern, "RGGB");
    EXPECT_EQ(infoOf({"BAYERPAT='RGGB'", "ROWORDER='BOTTOM-UP'"}).bayerPattern, "GBRG");
    EXPECT_EQ(infoOf({"BAYERPAT='TRUE'"}).bayerPattern, "");
}

TEST(DescribeFrameTest, SiteInDegreesAndSexagesimal) {
    const auto site =
        infoOf({"SITELONG='24 37 05.9'", "SITELAT='-27 24 45.7'", "SITEELEV=1187.0"}).site;
    ASSERT_TRUE(site);
    EXPECT_NEAR(site->longitude.degrees(), 24.61831, 1e-5);
    EXPECT_NEAR(site->latitude.degrees(), -27.41269, 1e-5);
    EXPECT_EQ(site->altitudeMetres, 1187.0);
    const auto west = infoOf({"LONG-OBS=71.2 / degrees west", "LAT-OBS=10.0"}).site;
    ASSERT_TRUE(west);
    EXPECT_NEAR(west->longitude.degrees(), -71.2, 1e-9);
}

TEST(DescribeFrameTest, EveryValueKnowsWhereItCameFrom) {
    const auto info = infoOf(
        {kStart, "EXPTIME=60.0", "FILTER='Red'", "RA=10.0", "DEC=20.0", "IMAGETYP='Light Frame'"});
    const auto from = [&](const std::string& what) {
        for (const auto& origin : info.origins) {
            if (origin.what == what) {
                return origin.value + " | " + origin.from;
            }
        }
        return std::string();
    };
    EXPECT_EQ(from("exposure"), "60 s | EXPTIME");
    EXPECT_EQ(from("filter"), "R | FILTER = 'Red'");
    EXPECT_EQ(from("pointing"), "00 40 00.0 +20 00 00 | RA and DEC");
    EXPECT_EQ(from("kind"), "light | IMAGETYP = 'Light Frame'");
    EXPECT_EQ(from("middle of the exposure"),
              "2034-03-17T21:02:41.500Z | DATE-OBS is the start; half of 60 s added");
}

TEST(DescribeFrameTest, ContradictionsAreNoted) {
    const auto joined = [](const FrameInfo& info) {
        std::string all;
        for (const auto& note : info.notes) {
            all += note + "\n";
        }
        return all;
    };
    EXPECT_NE(joined(infoOf({"EXPTIME=60.0", "EXPOSURE=30.0"}))
                  .find("EXPTIME says 60 s, EXPOSURE says 30 s"),
              std::string::npos);
    const auto twice = infoOf({"FILTER='R'", "FILTER='V'"});
    EXPECT_EQ(twice.filter, "V");
    EXPECT_NE(joined(twice).find("FILTER stands twice, 'R' and 'V'; the last counts"),
              std::string::npos)
        << joined(twice);
    EXPECT_NE(joined(infoOf({"DATE-BEG='2034-03-17T21:00:00'",
                             "DATE-END='2034-03-17T21:00:10'",
                             "EXPTIME=60.0"}))
                  .find("10.0 s apart"),
              std::string::npos);
    EXPECT_NE(joined(infoOf({"SET-TEMP=-20.0", "CCD-TEMP=-11.5"})).find("does not hold it"),
              std::string::npos);
    EXPECT_EQ(joined(infoOf({kStart, "EXPTIME=60.0", "EXPOSURE=60.0"})), "");
}

/// Truth: the clock is 2.5 s ahead, so the frame was 2.5 s earlier; the delays are kept for whoever knows the row.
TEST(EquipmentTest, ProfilesCorrectTheClockAndAddWhatHeadersLack) {
    const test_support::TemporaryFolder folder;
    std::ofstream(folder / "equipment.toml") << R"(
        [[camera]]
        name = "Vell C1"
        clock_offset_s = 2.5
        row_delay_s = 1.2e-5
        gain_e_per_adu = 0.34
        read_noise_e = 1.9
        linear_limit_adu = 58000
        bayer = "GBRG"
        [[site]]
        name = "Karrow"
        code = "XXX"
        longitude_deg = 24.5
        latitude_deg = -27.0
        altitude_m = 1180
        [observer]
        observers = ["A. Nother"]
        [header.exposure]
        keywords = ["BELICHT [ms]"]
        [header.filters]
        R = ["rood"]
    )";
    const auto rules = readEquipment(folder / "equipment.toml");
    ASSERT_TRUE(rules) << rules.error().detail;
    const auto info = describeFrame("/n/x.fits",
                                    10,
                                    10,
                                    headerOf({kStart,
                                              "BELICHT=60000",
                                              "INSTRUME='Vell C1 Pro'",
                                              "FILTER='Rood'",
                                              "BAYERPAT='RGGB'"}),
                                    *rules);
    EXPECT_EQ(toIso(*info.midExposure), "2034-03-17T21:02:39.000Z");
    EXPECT_DOUBLE_EQ(info.rowSeconds, 1.2e-5);
    EXPECT_EQ(info.electronsPerAdu, 0.34);
    EXPECT_EQ(info.saturationAdu, 58000.0);
    EXPECT_EQ(info.bayerPattern, "GBRG");
    EXPECT_EQ(info.filter, "R");
    EXPECT_NE(info.timeReason.find("clock is +2.5 s off"), std::string::npos) << info.timeReason;
    EXPECT_EQ(rules->equipment.sites.front().site.code, "XXX");
    EXPECT_EQ(rules->equipment.observers.front(), "A. Nother");
}

TEST(EquipmentTest, MistakesNameTheNearestWord) {
    const test_support::TemporaryFolder folder;
    const auto why = [&](const std::string& text) {
        std::ofstream(folder / "e.toml") << text;
        const auto rules = readEquipment(folder / "e.toml");
        return rules ? std::string() : rules.error().detail;
    };
    EXPECT_NE(
        why("[[camera]]\nname='a'\ngian_e_per_adu=1.0\n").find("did you mean 'gain_e_per_adu'"),
        std::string::npos);
    EXPECT_NE(why("[header.expsure]\nkeywords=['A']\n").find("did you mean 'exposure'"),
              std::string::npos);
    EXPECT_NE(why("[camra]\n").find("did you mean 'camera'"), std::string::npos);
    EXPECT_NE(why("[header.pointing]\npairs=['RA']\n").find("two keywords"), std::string::npos);
    EXPECT_NE(why("[[camera]\n").find("Cannot be read"), std::string::npos);
    EXPECT_FALSE(readEquipment(folder / "none.toml"));
}

TEST(DescribeFrameTest, TheObserverOverrulesTheHeader) {
    ReadingRules rules;
    rules.kinds = {{"dusk/", FrameKind::Flat}};
    const auto info =
        describeFrame("/n/dusk/a.fits", 10, 10, headerOf({"IMAGETYP='Light'"}), rules);
    EXPECT_EQ(info.kind, FrameKind::Flat);
    EXPECT_EQ(info.kindReason, "you said so of 'dusk/'");
}

} // namespace
} // namespace pathmark::frame
