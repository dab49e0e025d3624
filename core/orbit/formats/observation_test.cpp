#include "core/orbit/formats/eighty_column.h"
#include "core/orbit/formats/observation_file.h"
#include "core/orbit/formats/site_codes.h"
#include "tests/support/temporary_folder.h"

#include <gtest/gtest.h>

#include <fstream>

namespace pathmark::orbit {
namespace {

const std::string kLine =
    "     K30D02B  C2030 02 20.88794910 25 34.398-03 54 57.84          18.4V      Z99";

/// Truth: the columns of the format's description, counted by hand.
TEST(EightyColumnTest, EveryFieldIsInItsPlace) {
    const auto o = parseEightyColumn(kLine);
    ASSERT_TRUE(o) << o.error().detail;
    EXPECT_EQ(o->body, "2030 DB2");
    EXPECT_EQ(toIso(o->time, 1), "2030-02-20T21:18:38.8Z");
    EXPECT_NEAR(o->sky.longitude.degrees(), 15.0 * (10.0 + 25.0 / 60.0 + 34.398 / 3600.0), 1e-9);
    EXPECT_NEAR(o->sky.latitude.degrees(), -(3.0 + 54.0 / 60.0 + 57.84 / 3600.0), 1e-9);
    EXPECT_EQ(o->magnitude, 18.4);
    EXPECT_EQ(o->band, "V");
    EXPECT_EQ(o->station, "Z99");
    EXPECT_EQ(o->mode, "CCD");
}

struct Wrong {
    std::size_t column; // from 1
    const char* text;
    const char* words;
};

class WrongColumnTest : public testing::TestWithParam<Wrong> {};

TEST_P(WrongColumnTest, IsNamed) {
    std::string line = kLine;
    const Wrong& wrong = GetParam();
    line.replace(wrong.column - 1, std::string(wrong.text).size(), wrong.text);
    const auto o = parseEightyColumn(line);
    ASSERT_FALSE(o) << line;
    EXPECT_NE(o.error().detail.find(wrong.words), std::string::npos) << o.error().detail;
}

INSTANTIATE_TEST_SUITE_P(Columns,
                         WrongColumnTest,
                         testing::Values(Wrong{1, "!!!!!", "columns 1 to 12"},
                                         Wrong{21, "13", "columns 16 to 32"},
                                         Wrong{24, "xx", "columns 16 to 32"},
                                         Wrong{36, "61", "columns 33 to 56"},
                                         Wrong{45, "*", "columns 33 to 56"},
                                         Wrong{45, "+91", "columns 33 to 56"},
                                         Wrong{66, "1x.4", "columns 66 to 70"},
                                         Wrong{78, "   ", "columns 78 to 80"}));

TEST(EightyColumnTest, RecordsOfTwoLinesAreRead) {
    const std::string satellite =
        "     K30D02B  S2030 02 20.88794910 25 34.398-03 54 57.84          18.4V      Z97\n"
        "     K30D02B  s2030 02 20.887949 1 + 1234.5678 - 4321.0000 +  987.0001        Z97\n";
    const std::string roving =
        "     K30D02B  V2030 02 20.88794910 25 34.398-03 54 57.84          18.4V      Z96\n"
        "     K30D02B  v2030 02 20.8879491  24.618300 -27.412700  1187                Z96\n";
    const std::string radar =
        "     K30D02B  R2030 02 21.500000   123456789.12                 8560 Z95     Z95\n"
        "     K30D02B  r2030 02 21.500000C           1.00                     Z95      Z95\n";
    const auto list =
        parseEightyColumnLines("COD Z99\n" + satellite + roving + radar + kLine + "\n");
    ASSERT_TRUE(list.badLines.empty()) << list.badLines.front().detail;
    ASSERT_EQ(list.observations.size(), 4U);
    EXPECT_NEAR((*list.observations[0].observer->geocentricKilometres)[1], -4321.0, 1e-9);
    EXPECT_NEAR((*list.observations[1].observer->geodetic)[2], 1187.0, 1e-9);
    EXPECT_TRUE(list.observations[2].radar);
    EXPECT_EQ(list.radar, 1);
    EXPECT_EQ(list.observations[3].line, 8);
}

TEST(EightyColumnTest, AMissingSecondLineIsSaidAndTheOthersStay) {
    std::string satellite = kLine;
    satellite[14] = 'S';
    const auto list = parseEightyColumnLines(kLine + "\r\n" + satellite + "\r\n" + kLine + "\r\n");
    EXPECT_EQ(list.observations.size(), 2U);
    ASSERT_EQ(list.badLines.size(), 1U);
    EXPECT_NE(list.badLines[0].detail.find("line 2"), std::string::npos);
    EXPECT_NE(list.badLines[0].detail.find("second line"), std::string::npos);
}

TEST(ObservationFileTest, BodiesComeInOrderOfTimeAndOnce) {
    std::string later = kLine;
    later.replace(15, 10, "2030 02 24");
    std::string other = kLine;
    other.replace(5, 7, "K30D03B");
    std::string replaced = kLine;
    replaced[14] = 'X';
    const test_support::TemporaryFolder folder;
    std::ofstream(folder / "obs.txt") << later << "\n"
                                      << kLine << "\n"
                                      << other << "\n"
                                      << kLine << "\n"
                                      << replaced << "\n";
    const auto list = readObservationFile(folder / "obs.txt");
    ASSERT_TRUE(list);
    EXPECT_EQ(list->replaced, 1);
    EXPECT_EQ(bodiesOf(*list), (std::vector<std::string>{"2030 DB2", "2030 DB3"}));
    for (const char* name : {"2030 DB2", "K30D02B"}) {
        const auto body = observationsOf(*list, name);
        ASSERT_EQ(body.observations.size(), 2U) << name;
        EXPECT_EQ(body.duplicates, 1);
        EXPECT_LT(body.observations[0].time, body.observations[1].time);
    }
}

TEST(ObservationFileTest, WhatIsNoneIsRefused) {
    const test_support::TemporaryFolder folder;
    std::ofstream(folder / "words.txt") << "nothing of use here\n";
    std::ofstream(folder / "broken.xml") << "<ades version='2022'><obsBlock>";
    std::ofstream(folder / "empty.psv") << "# version=2022\npermID|obsTime\n";
    for (const char* name : {"words.txt", "broken.xml", "empty.psv", "missing"}) {
        const auto list = readObservationFile(folder / name);
        ASSERT_FALSE(list) << name;
        EXPECT_EQ(list.error().id, ErrorId::OrbitNotReadable);
        EXPECT_EQ(list.error().subject, (folder / name).string());
    }
}

/// Truth: the example of the standard's own description of PSV, with other numbers.
TEST(AdesTest, TablesWithTheirHeads) {
    const std::string text =
        "# version=2022\n# observatory\n! mpcCode Z99\n"
        "permID |provID     |trkSub  |mode|stn |obsTime               |ra     "
        "   |dec       |rmsRA|rmsDec|astCat|mag  |band|deprecated\n"
        "       |2030 DB2   |        |CCD |Z99 |2030-02-20T21:18:38.8Z|156.393325"
        "|-3.9160667|0.11 |0.12  |Gaia3 |18.4 |V   |\n"
        "  1234 |           |        |CCD |Z99 |2030-02-20T21:18:38.8Z|156.393325"
        "|-3.9160667|0.11 |0.12  |Gaia3 |     |    |\n"
        "       |           |PM00001 |CCD |Z99 |never                 |156.393325"
        "|-3.9160667|     |      |      |     |    |\n"
        "       |2030 DB2   |        |CCD |Z99 |2030-02-20T21:18:38.8Z|156.393325"
        "|-3.9160667|0.11 |0.12  |Gaia3 |18.4 |V   |X\n";
    const auto list = parseAdesPsv(text);
    ASSERT_TRUE(list) << list.error().detail;
    ASSERT_EQ(list->observations.size(), 2U);
    EXPECT_EQ(list->observations[0].body, "2030 DB2");
    EXPECT_EQ(list->observations[1].body, "(1234)");
    EXPECT_EQ(list->observations[0].sigmaDecArcsec, 0.12);
    EXPECT_FALSE(list->observations[1].magnitude);
    EXPECT_EQ(list->replaced, 1);
    ASSERT_EQ(list->badLines.size(), 1U);
    EXPECT_NE(list->badLines[0].detail.find("line 7"), std::string::npos)
        << list->badLines[0].detail;
    EXPECT_NE(list->badLines[0].detail.find("obsTime 'never'"), std::string::npos);
}

TEST(SiteCodesTest, TheListIsReadAndUnknownCodesAreSaid) {
    const test_support::TemporaryFolder folder;
    std::ofstream(folder / "codes.html") << "<pre>\nCode  Long.   cos      sin    Name\n"
                                            "Z99  24.618300.888223-0.458039Karrow Flat\n"
                                            "Z98 316.95000 0.90000 +0.43000 Umm Sadrat\n"
                                            "Z97                           A spacecraft\n</pre>\n";
    SiteCodes codes;
    ASSERT_EQ(codes.read(folder / "codes.html").value(), 3);
    const auto site = codes.find("Z99");
    ASSERT_TRUE(site);
    EXPECT_NEAR(site->longitude.degrees(), 24.6183, 1e-9);
    EXPECT_NEAR((*site->parallaxConstants)[1], -0.458039, 1e-9);
    EXPECT_NEAR(codes.find("Z98")->longitude.degrees(), -43.05, 1e-9);
    EXPECT_EQ(codes.find("Z97").error().id, ErrorId::OrbitUnknownSite);
    EXPECT_EQ(codes.find("X11").error().id, ErrorId::OrbitUnknownSite);
    EXPECT_EQ(toListLine(codes.sites().at("Z99")), "Z99  24.618300.888223-0.458039Karrow Flat");
    EXPECT_FALSE(SiteCodes().read(folder / "missing"));
}

} // namespace
} // namespace pathmark::orbit
