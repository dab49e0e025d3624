#include "core/report/read_back.h"
#include "core/report/structure.h"
#include "core/report/writers.h"

#include <gtest/gtest.h>

#include <cstdlib>
#include <map>
#include <sstream>

namespace pathmark::report {
namespace {

ReportHead head() {
    ReportHead h;
    h.stationCode = "XXX";
    h.observatory = "Tern Ridge";
    h.submitter = "I. Vellamo";
    h.observers = {"I. Vellamo", "A. Second"};
    h.measurers = {"O. Tamsin"};
    h.telescopeDesign = "Reflector";
    h.aperture = "0.35";
    h.detector = "CMO";
    h.pixelScale = "1.06";
    return h;
}

Observation observation(const std::string& body) {
    Observation o;
    o.body = body;
    o.time = *parseUtc("2034-03-17T21:02:41.109");
    o.sky = skyDegrees(177.26525864, -2.31217138);
    o.raErrorArcsec = 0.0136;
    o.decErrorArcsec = 0.0133;
    o.magnitude = 15.8946;
    o.magnitudeError = 0.0093;
    o.band = "R";
    o.catalogue = "Gaia3";
    o.usedStars = 861;
    o.exposureSeconds = 60.0;
    return o;
}

std::vector<Observation> night() {
    std::vector<Observation> list{
        observation("(2711043)"), observation("2034 EQ7"), observation("C/2033 T4")};
    list[1].magnitude.reset();
    list[1].stackedFrames = 10;
    list[1].remark = "stack of 10 frames | on the motion";
    return list;
}

/// An independent reader of PSV: a table from each head line on, one map of values for each row.
std::vector<std::map<std::string, std::string>> readPsv(const std::string& text) {
    std::vector<std::map<std::string, std::string>> rows;
    std::vector<std::string> names;
    std::istringstream lines(text);
    std::string line;
    while (std::getline(lines, line)) {
        if (line.empty() || line[0] == '#' || line[0] == '!') {
            continue;
        }
        std::vector<std::string> cells;
        std::istringstream row(line);
        std::string cell;
        while (std::getline(row, cell, '|')) {
            cells.push_back(cell);
        }
        if (line.find("obsTime") != std::string::npos) {
            names = cells;
            continue;
        }
        EXPECT_EQ(cells.size(), names.size()) << line;
        std::map<std::string, std::string> values;
        for (std::size_t i = 0; i < std::min(cells.size(), names.size()); ++i) {
            values[names[i]] = cells[i];
        }
        rows.push_back(values);
    }
    return rows;
}

Result<std::string> psvOf(const ReportHead& head, const std::vector<Observation>& lines) {
    std::vector<Error> leftOut;
    return toAdesPsv(head, lines, leftOut);
}

Result<std::string> xmlOf(const ReportHead& head, const std::vector<Observation>& lines) {
    std::vector<Error> leftOut;
    return toAdesXml(head, lines, leftOut);
}

TEST(AdesPsvTest, ReadsBackToWhatWasMeasured) {
    const auto text = psvOf(head(), night());
    ASSERT_TRUE(text);
    EXPECT_EQ(text->rfind("# version=2022\n# observatory\n! mpcCode XXX\n", 0), 0U);
    const auto rows = readPsv(*text);
    ASSERT_EQ(rows.size(), 3U);
    EXPECT_EQ(rows[0].at("permID"), "2711043");
    EXPECT_EQ(rows[1].at("provID"), "2034 EQ7");
    EXPECT_EQ(rows[1].count("mag"), 0U);
    EXPECT_EQ(rows[2].at("provID"), "C/2033 T4");
    EXPECT_EQ(rows[0].at("obsTime"), "2034-03-17T21:02:41.109Z");
    EXPECT_NEAR(std::atof(rows[0].at("ra").c_str()), 177.26525864, 5.1e-8);
    EXPECT_NEAR(std::atof(rows[0].at("dec").c_str()), -2.31217138, 5.1e-8);
    EXPECT_NEAR(std::atof(rows[0].at("rmsRA").c_str()), 0.0136, 6e-4);
    EXPECT_NEAR(std::atof(rows[0].at("mag").c_str()), 15.8946, 6e-4);
    EXPECT_EQ(rows[0].at("stn"), "XXX");
}

TEST(AdesXmlTest, IsValidUnderThePublishedStructure) {
    const auto text = xmlOf(head(), night());
    ASSERT_TRUE(text);
    const std::string schema = std::string(PATHMARK_SOURCE_DIR) + "/data/ades-2022.xsd";
    EXPECT_EQ(structureFaults(schema, *text), std::vector<std::string>{});
    // The schema does refuse what is wrong: an element out of its order.
    std::string wrong = *text;
    const auto at = wrong.find("<mode>CMO</mode>");
    ASSERT_NE(at, std::string::npos);
    wrong.erase(at, 16);
    EXPECT_FALSE(structureFaults(schema, wrong).empty());
}

struct Field {
    int first, last; ///< columns from 1
    const char* what;
    const char* text;
};

class EightyColumnTest : public testing::TestWithParam<Field> {};

/// Truth: the column table of the Minor Planet Center's format for optical observations, worked out by hand.
TEST_P(EightyColumnTest, EveryFieldIsInItsColumns) {
    const auto line = eightyColumnLine(head(), observation("2034 EQ7"));
    ASSERT_TRUE(line);
    ASSERT_EQ(line->size(), 80U);
    const Field& f = GetParam();
    EXPECT_EQ(line->substr(static_cast<std::size_t>(f.first - 1),
                           static_cast<std::size_t>(f.last - f.first + 1)),
              f.text)
        << f.what << " in '" << *line << "'";
}

INSTANTIATE_TEST_SUITE_P(Columns,
                         EightyColumnTest,
                         testing::Values(Field{1, 5, "number", "     "},
                                         Field{6, 12, "designation", "K34E07Q"},
                                         Field{13, 13, "discovery", " "},
                                         Field{14, 14, "note", " "},
                                         Field{15, 15, "kind", "B"},
                                         Field{16, 19, "year", "2034"},
                                         Field{20, 20, "blank", " "},
                                         Field{21, 22, "month", "03"},
                                         Field{23, 23, "blank", " "},
                                         Field{24, 32, "day", "17.876865"},
                                         Field{33, 34, "hours", "11"},
                                         Field{35, 35, "blank", " "},
                                         Field{36, 37, "minutes", "49"},
                                         Field{38, 38, "blank", " "},
                                         Field{39, 44, "seconds", "03.662"},
                                         Field{45, 45, "sign", "-"},
                                         Field{46, 47, "degrees", "02"},
                                         Field{48, 48, "blank", " "},
                                         Field{49, 50, "minutes", "18"},
                                         Field{51, 51, "blank", " "},
                                         Field{52, 56, "seconds", "43.82"},
                                         Field{57, 65, "blank", "         "},
                                         Field{66, 70, "magnitude", "15.89"},
                                         Field{71, 71, "band", "R"},
                                         Field{72, 72, "catalogue", "W"},
                                         Field{73, 77, "blank", "     "},
                                         Field{78, 80, "station", "XXX"}));

TEST(EightyColumnTest, OtherBodiesAndStacks) {
    auto o = observation("(2711043)");
    EXPECT_EQ(eightyColumnLine(head(), o)->substr(0, 15), "~8lyV         B");
    o.stackedFrames = 10;
    EXPECT_EQ(eightyColumnLine(head(), o)->substr(13, 2), "KB");
    o.magnitude.reset();
    EXPECT_EQ(eightyColumnLine(head(), o)->substr(65, 6), "      ");
    EXPECT_EQ(eightyColumnLine(head(), observation("C/2033 T4"))->substr(0, 12), "    CK33T040");
    EXPECT_FALSE(eightyColumnLine(head(), observation("something")));
}

TEST(EightyColumnTest, MidnightIsCarried) {
    auto o = observation("2034 EQ7");
    o.time = *parseUtc("2034-12-31T23:59:59.99");
    EXPECT_EQ(eightyColumnLine(head(), o)->substr(15, 17), "2035 01 01.000000");
}

/// Truth: the public format keeps column 15 for the kind of detector: C a CCD, B a CMOS; nobody said, nothing stands there.
TEST(ReportTest, ColumnFifteenIsTheDetectorsKind) {
    ReportHead h = head();
    for (const auto& [detector, letter] :
         {std::pair{"CCD", 'C'}, {"CMO", 'B'}, {"PHO", 'P'}, {"MIC", 'M'}, {"", ' '}}) {
        h.detector = detector;
        EXPECT_EQ((*eightyColumnLine(h, observation("2034 EQ7")))[14], letter) << detector;
    }
}

/// One body without a packed form does not keep the others at home.
TEST(ReportTest, ABodyWithoutAPackedFormIsNamedAndTheOthersGo) {
    const std::vector<Observation> all{observation("2034 EQ7"),
                                       observation("something"),
                                       observation("something"),
                                       observation("C/2033 T4")};
    std::vector<Error> leftOut;
    const auto text = toEightyColumn(head(), all, leftOut);
    ASSERT_TRUE(text);
    EXPECT_NE(text->find("K34E07Q"), std::string::npos);
    EXPECT_NE(text->find("CK33T040"), std::string::npos);
    ASSERT_EQ(leftOut.size(), 1U);
    EXPECT_EQ(leftOut[0].id, ErrorId::ReportNoPackedForm);
    EXPECT_EQ(leftOut[0].subject, "something");
    EXPECT_FALSE(toEightyColumn(head(), std::span(all).subspan(1, 1), leftOut));
}

/// What nobody said is said to be unknown where the structure asks for it, and left out elsewhere.
TEST(ReportTest, WhatIsNotKnownIsSaidToBe) {
    ReportHead h = head();
    h.telescopeDesign.clear();
    h.detector.clear();
    h.aperture.clear();
    h.observers.clear();
    h.measurers.clear();
    h.submitter.clear();
    const std::vector<Observation> one{observation("2034 EQ7")};
    const std::string psv = *psvOf(h, one);
    EXPECT_NE(psv.find("! design unknown"), std::string::npos);
    EXPECT_NE(psv.find("! detector UNK"), std::string::npos);
    EXPECT_EQ(psv.find("aperture"), std::string::npos);
    EXPECT_NE(psv.find("# observers\n! name unknown"), std::string::npos) << psv;
    const std::string schema = std::string(PATHMARK_SOURCE_DIR) + "/data/ades-2022.xsd";
    EXPECT_EQ(structureFaults(schema, *xmlOf(h, one)), std::vector<std::string>{});
    std::vector<Error> leftOut;
    EXPECT_EQ(toEightyColumn(h, one, leftOut)->find("TEL"), std::string::npos);
}

/// A bar, or a line break, in a name would begin another column or line.
TEST(ReportTest, NamesDoNotBreakTheTable) {
    ReportHead h = head();
    h.submitter = "X. | Y\n! mpcCode 500";
    Observation o = observation("ab");
    o.ownName = true;
    o.remark = "one\ntwo";
    const std::string psv = *psvOf(h, std::vector{o});
    EXPECT_NE(psv.find("X. / Y ! mpcCode 500\n"), std::string::npos) << psv;
    EXPECT_NE(psv.find("one two"), std::string::npos);
}

struct NamedBody {
    const char* name;
    const char* field; ///< empty: there is no form for it
};

class AdesNameTest : public testing::TestWithParam<NamedBody> {};

/// Bodies are named by what they are; one that has no form is left out, and the others go.
TEST_P(AdesNameTest, GoesIntoItsField) {
    const NamedBody& named = GetParam();
    std::vector<Error> leftOut;
    const std::vector lines{observation(named.name), observation("2034 EQ7")};
    const auto text = toAdesXml(head(), lines, leftOut);
    ASSERT_TRUE(text);
    const std::string schema = std::string(PATHMARK_SOURCE_DIR) + "/data/ades-2022.xsd";
    EXPECT_EQ(structureFaults(schema, *text), std::vector<std::string>{});
    EXPECT_EQ(readBackDifferences(Form::Xml, *text, head(), lines), std::vector<std::string>{});
    EXPECT_NE(text->find("2034 EQ7"), std::string::npos);
    if (*named.field == '\0') {
        ASSERT_EQ(leftOut.size(), 1U);
        EXPECT_EQ(leftOut[0].subject, named.name);
    } else {
        EXPECT_TRUE(leftOut.empty());
        EXPECT_NE(text->find(std::string("<") + named.field + ">"), std::string::npos);
    }
}

INSTANTIATE_TEST_SUITE_P(Names,
                         AdesNameTest,
                         testing::Values(NamedBody{"(2711043)", "permID"},
                                         NamedBody{"29P", "permID"},
                                         NamedBody{"C/2033 T4", "provID"},
                                         NamedBody{"2040 P-L", "provID"},
                                         NamedBody{"target1", "trkSub"},
                                         NamedBody{"the \"other\" one", ""},
                                         NamedBody{"a,b|c", ""},
                                         NamedBody{"two\nlines", ""},
                                         NamedBody{"much_too_long_a_name", ""}));

TEST(ReportTest, NothingKeptIsSaid) {
    EXPECT_EQ(psvOf(head(), {}).error().id, ErrorId::ReportNothingToReport);
    EXPECT_EQ(xmlOf(head(), {}).error().id, ErrorId::ReportNothingToReport);
    std::vector<Error> leftOut;
    EXPECT_EQ(toEightyColumn(head(), {}, leftOut).error().id, ErrorId::ReportNothingToReport);
}

} // namespace
} // namespace pathmark::report
