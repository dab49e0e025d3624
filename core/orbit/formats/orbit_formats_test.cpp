#include "core/orbit/formats/comet_line.h"
#include "core/orbit/formats/designation.h"
#include "core/orbit/formats/one_line.h"
#include "core/orbit/formats/orbit_file.h"
#include "core/orbit/formats/orbit_table.h"
#include "tests/support/temporary_folder.h"

#include <gtest/gtest.h>
#include <zlib.h>

#include <cmath>
#include <fstream>

namespace pathmark::orbit {
namespace {

struct Packed {
    const char* packed;
    const char* readable;
};

class DesignationTest : public testing::TestWithParam<Packed> {};

TEST_P(DesignationTest, GoesBothWays) {
    EXPECT_EQ(unpackDesignation(GetParam().packed), GetParam().readable);
    EXPECT_EQ(packDesignation(GetParam().readable), GetParam().packed);
}

/// Truth: the examples of the Minor Planet Center's page on packed designations, and this project's own bodies.
INSTANTIATE_TEST_SUITE_P(Forms,
                         DesignationTest,
                         testing::Values(Packed{"03202", "(3202)"},
                                         Packed{"50000", "(50000)"},
                                         Packed{"A0345", "(100345)"},
                                         Packed{"a0017", "(360017)"},
                                         Packed{"K3289", "(203289)"},
                                         Packed{"~0000", "(620000)"},
                                         Packed{"~000z", "(620061)"},
                                         Packed{"~AZaz", "(3140113)"},
                                         Packed{"~zzzz", "(15396335)"},
                                         Packed{"J95X00A", "1995 XA"},
                                         Packed{"J95X01L", "1995 XL1"},
                                         Packed{"J95F13B", "1995 FB13"},
                                         Packed{"J98SA8Q", "1998 SQ108"},
                                         Packed{"J98SC7V", "1998 SV127"},
                                         Packed{"J98SG2S", "1998 SS162"},
                                         Packed{"K99AJ3Z", "2099 AZ193"},
                                         Packed{"K08Aa0A", "2008 AA360"},
                                         Packed{"K07Tf8A", "2007 TA418"},
                                         Packed{"_QC0000", "2026 CA620"},
                                         Packed{"0029P", "29P"},
                                         Packed{"CK31A010", "C/2031 A1"},
                                         Packed{"DK31X12b", "D/2031 X12-B"}));

TEST(DesignationTest, RubbishIsNone) {
    for (const char* text : {"", "12", "K27R1", "k27R17K", "K27R1xK", "CK31A0", "~00!0"}) {
        EXPECT_FALSE(unpackDesignation(text)) << text;
    }
    for (const char* text : {"",
                             "2027 rk17",
                             "(0)",
                             "name",
                             "2034 EQ7000010319355178518",
                             "2034 EQ99999999999999999999",
                             "99999999999999999999P",
                             "C/2031 A99999999999999999999",
                             "(99999999999999999999)"}) {
        EXPECT_FALSE(packDesignation(text)) << text;
    }
}

const std::string kLine =
    "~8lyV   13.70  0.15 K343K 136.14689  227.06139  168.23856    4.03799  0.0788815  0.29914773   "
    "2.2141483  2 E2034-A01"
    "    52   5 2024-2033 0.40 M-v 3Eh PATHMARK   0000 (2711043)                   20331201";

TEST(OneLineTest, EveryFieldIsInItsPlace) {
    const auto e = parseOneLine(kLine);
    ASSERT_TRUE(e) << e.error().detail;
    EXPECT_EQ(e->name, "(2711043)");
    EXPECT_EQ(e->brightness.h, 13.7);
    EXPECT_NEAR(e->epoch.julian(), 2464041.5, 1e-9);
    EXPECT_NEAR(e->perihelionAu, 2.2141483 * (1.0 - 0.0788815), 1e-9);
    EXPECT_NEAR(e->node.degrees(), 168.23856, 1e-9);
    // The mean anomaly comes back: 136.14689 degrees at the epoch.
    const double motion = 0.01720209895 / std::pow(2.2141483, 1.5) / kRadiansPerDegree;
    EXPECT_NEAR((e->epoch.julian() - e->perihelionTime.julian()) * motion, 136.14689, 1e-6);
}

TEST(OneLineTest, AWrongColumnIsNamed) {
    std::string line = kLine;
    line.replace(70, 9, "  eccent.");
    const auto e = parseOneLine(line);
    ASSERT_FALSE(e);
    EXPECT_NE(e.error().detail.find("columns 71 to 79"), std::string::npos) << e.error().detail;
    EXPECT_NE(parseOneLine("x").error().detail.find("columns 1 to 7"), std::string::npos);
}

TEST(OrbitFileTest, OneBadLineLeavesTheOthers) {
    const test_support::TemporaryFolder folder;
    std::string bad = kLine;
    bad.replace(26, 9, "   abc   ");
    std::ofstream(folder / "o.txt") << "A head\n"
                                    << std::string(100, '-') << "\n"
                                    << kLine << "\n"
                                    << bad << "\n";
    const auto list = readOrbitFile(folder / "o.txt");
    ASSERT_TRUE(list);
    EXPECT_EQ(list->orbits.size(), 1U);
    ASSERT_EQ(list->badLines.size(), 1U);
    EXPECT_NE(list->badLines[0].detail.find("line 4"), std::string::npos);
    EXPECT_NE(list->badLines[0].detail.find("columns 27 to 35"), std::string::npos);
    EXPECT_EQ(list->badLines[0].subject, (folder / "o.txt").string());
}

/// Truth: counted by hand. The file is read in parts of 4 MB by several threads; line numbers must not notice.
TEST(OrbitFileTest, BrokenLinesInTheMiddleOfManyKeepTheirNumbers) {
    const test_support::TemporaryFolder folder;
    std::string text = "A head\n" + std::string(100, '-') + "\n";
    constexpr int lines = 60000; // 12 MB
    for (int i = 1; i <= lines; ++i) {
        std::string line = kLine;
        line.replace(0, 7, packDesignation("(" + std::to_string(i) + ")").value() + "  ");
        if (i == 25000 || i == 59999) {
            line = line.substr(0, 60);
        }
        text += line + (i % 2 == 0 ? "\n" : "\r\n");
    }
    std::ofstream(folder / "o.txt") << text;
    const auto list = readOrbitFile(folder / "o.txt");
    ASSERT_TRUE(list);
    EXPECT_EQ(list->orbits.size(), 59998U);
    EXPECT_EQ(list->orbits[24999].name, "(25001)");
    ASSERT_EQ(list->badLines.size(), 2U);
    EXPECT_NE(list->badLines[0].detail.find("line 25002: columns 60 to 68"), std::string::npos)
        << list->badLines[0].detail;
    EXPECT_NE(list->badLines[1].detail.find("line 60001:"), std::string::npos);
    // Packed with gzip it is the same.
    gzFile packed = gzopen((folder / "o.txt.gz").c_str(), "wb");
    gzwrite(packed, text.data(), static_cast<unsigned>(text.size()));
    gzclose(packed);
    const auto unpacked = readOrbitFile(folder / "o.txt.gz");
    ASSERT_TRUE(unpacked);
    EXPECT_EQ(unpacked->orbits.size(), 59998U);
    // Cut off in the packing it is refused, not half read.
    std::filesystem::resize_file(folder / "o.txt.gz",
                                 std::filesystem::file_size(folder / "o.txt.gz") / 2);
    EXPECT_EQ(readOrbitFile(folder / "o.txt.gz").error().id, ErrorId::OrbitNotReadable);
}

TEST(OrbitFileTest, ABodyThatStandsTwiceKeepsItsFirstOrbit) {
    const test_support::TemporaryFolder folder;
    std::string other = kLine;
    other.replace(92, 11, "  3.0000000");
    other.replace(80, 11, "           ");
    std::ofstream(folder / "a.txt") << kLine << "\n" << other << "\n";
    std::ofstream(folder / "b.txt") << other << "\n";
    const auto list =
        readOrbitFiles(std::vector<std::filesystem::path>{folder / "a.txt", folder / "b.txt"});
    ASSERT_TRUE(list);
    ASSERT_EQ(list->orbits.size(), 1U);
    EXPECT_EQ(list->duplicates, 2);
    EXPECT_NEAR(
        list->orbits[0].perihelionAu / (1.0 - list->orbits[0].eccentricity), 2.2141483, 1e-6);
}

TEST(OrbitFileTest, FilesWithoutOrbitsAreRefused) {
    const test_support::TemporaryFolder folder;
    std::ofstream(folder / "o.txt") << "nothing of use\n";
    EXPECT_EQ(readOrbitFile(folder / "o.txt").error().id, ErrorId::OrbitNotReadable);
    EXPECT_EQ(readOrbitFile(folder / "missing").error().id, ErrorId::OrbitNotReadable);
}

TEST(OrbitFileTest, AnEmptyListIsToldAndTheOthersCount) {
    const test_support::TemporaryFolder folder;
    std::ofstream(folder / "empty.json") << "[]\n";
    std::ofstream(folder / "o.txt") << kLine << "\n";
    const auto list =
        readOrbitFiles(std::vector<std::filesystem::path>{folder / "empty.json", folder / "o.txt"});
    ASSERT_TRUE(list);
    EXPECT_EQ(list->orbits.size(), 1U);
    ASSERT_EQ(list->badLines.size(), 1U);
    EXPECT_NE(list->badLines[0].detail.find("empty"), std::string::npos);
}

TEST(OrbitTableTest, ReadsTheFullPrecisionTableAndNamesWhatIsMissing) {
    const auto good = parseOrbitJson(
        R"([{"name":"2030 DB2","epoch_jd_tdb":2462560.5,"frame":"ecliptic J2000","q_au":1.1,
        "e":0.2,"i_deg":3,"node_deg":4,"peri_deg":5,"tp_jd_tdb":2462500.25,"H":20}])");
    ASSERT_TRUE(good) << good.error().detail;
    EXPECT_EQ(good->orbits[0].packed, "K30D02B");
    EXPECT_NEAR(good->orbits[0].perihelionTime.julian(), 2462500.25, 1e-9);
    const auto bad = parseOrbitJson(R"([{"name":"2030 DB2","epoch_jd_tdb":2462560.5,"q_au":1.1}])");
    ASSERT_TRUE(bad);
    EXPECT_TRUE(bad->orbits.empty());
    EXPECT_NE(bad->badLines.at(0).detail.find("'e'"), std::string::npos);
    EXPECT_NE(parseOrbitJson("[{")->badLines.at(0).detail.find("ends inside"), std::string::npos);
    EXPECT_FALSE(parseOrbitJson("no JSON"));
}

TEST(CometLineTest, ReadsItsColumns) {
    const std::string line = "    CK33T040  2033 09 22.1234  1.640543  0.916098  324.1734  "
                             "157.7804   47.5869  20340320   9.6  4.0  C/2033 T4";
    const auto e = parseCometLine(line);
    ASSERT_TRUE(e) << e.error().detail;
    EXPECT_EQ(e->name, "C/2033 T4");
    EXPECT_NEAR(e->perihelionAu, 1.640543, 1e-9);
    EXPECT_EQ(e->brightness.m1, 9.6);
    EXPECT_EQ(e->brightness.k1, 10.0);
}

} // namespace
} // namespace pathmark::orbit
