#include "core/frame/equipment.h"
#include "core/frame/frame_info.h"
#include "tests/support/temporary_folder.h"
#include "tests/support/written_header.h"

#include <gtest/gtest.h>

#include <cmath>
#include <fstream>
#include <string>
#include <vector>

namespace pathmark::frame {
namespace {

const std::string kStart = "DATE-OBS='2034-03-17T21:02:11.500'";

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
    EXPECT_EQ(info.kindReason, "set by you for 'dusk/'");
}

} // namespace
} // namespace pathmark::frame
