#include "core/night/curve_files.h"

#include "tests/support/shell.h"
#include "tests/support/temporary_folder.h"
#include "tests/support/vo_table.h"

#include <gtest/gtest.h>

#include <array>
#include <map>
#include <sstream>

namespace pathmark::night {
namespace {

TargetPoint curvePoint(double julian, double mag, std::vector<std::string> flags = {}) {
    TargetPoint point;
    point.file = "night, one.fits";
    point.time = Utc::julian(julian);
    point.bjdTdb = julian + 0.003;
    point.mag = mag;
    point.magError = 0.012;
    point.snr = 90.0;
    point.flags = std::move(flags);
    orbit::Place place;
    place.sky = skyDegrees(359.99995, -0.5125);
    place.phase = Angle::degrees(12.25);
    point.place = place;
    return point;
}

/// Two nights of a numbered body, one flagged point, and a place that was seen once.
LightCurves someCurves() {
    BandCurves band;
    band.band = catalog::Band::R;
    TargetCurve body;
    body.name = "(2712345) Velmar";
    body.points = {curvePoint(2464000.25, 15.1234),
                   curvePoint(2464000.35, 15.2),
                   curvePoint(2464000.45, 15.3, {"blend"}),
                   curvePoint(2464001.25, 15.0)};
    TargetCurve place;
    place.name = "2034 AB1";
    place.points = {curvePoint(2464000.25, 17.0)};
    place.points.front().place.reset();
    band.targets = {body, place};
    FieldStar star;
    star.star.sourceId = 4711;
    star.catalogueMag = 13.25;
    star.scatter.used = true;
    band.stars = {star, FieldStar{}};
    return {{band}, {}};
}

/// A reader of the exchange format, written from its standard alone: blocks of metadata, then data; every line a keyword and a value.
struct ReadBlock {
    std::map<std::string, std::string> metadata;
    std::vector<std::array<double, 3>> data;
};

std::vector<ReadBlock> readAlcdef(const std::string& text) {
    enum class State { Between, Metadata, Data };
    State state = State::Between;
    std::vector<ReadBlock> blocks;
    std::istringstream stream(text);
    std::string line;
    while (std::getline(stream, line)) {
        if (line == "STARTMETADATA") {
            EXPECT_EQ(state, State::Between);
            state = State::Metadata;
            blocks.emplace_back();
        } else if (line == "ENDMETADATA") {
            EXPECT_EQ(state, State::Metadata);
            state = State::Data;
        } else if (line == "ENDDATA") {
            EXPECT_EQ(state, State::Data);
            state = State::Between;
        } else {
            const auto equals = line.find('=');
            EXPECT_NE(equals, std::string::npos) << line;
            const std::string keyword = line.substr(0, equals);
            const std::string value = line.substr(equals + 1);
            if (state == State::Metadata) {
                EXPECT_TRUE(blocks.back().metadata.emplace(keyword, value).second)
                    << "twice: " << line;
                continue;
            }
            EXPECT_EQ(state, State::Data) << line;
            EXPECT_EQ(keyword, "DATA");
            std::array<double, 3> row{};
            EXPECT_EQ(std::sscanf(value.c_str(), "%lf|%lf|%lf", &row[0], &row[1], &row[2]), 3)
                << line;
            blocks.back().data.push_back(row);
        }
    }
    EXPECT_EQ(state, State::Between);
    return blocks;
}

TEST(CurveFilesTest, AlcdefIsReadByTheStandardAlone) {
    CurveOrigin origin;
    origin.contact = "I. Vellamo";
    origin.contactInfo = "Tern Ridge";
    origin.site.emplace();
    origin.site->code = "XXX";
    const auto blocks = readAlcdef(alcdefText(someCurves(), origin));
    // A block is one session of one body.
    ASSERT_EQ(blocks.size(), 3U);
    for (const ReadBlock& block : blocks) {
        for (const char* asked : {"OBJECTNUMBER",
                                  "OBJECTNAME",
                                  "MPCDESIG",
                                  "CONTACTNAME",
                                  "CONTACTINFO",
                                  "SESSIONDATE",
                                  "SESSIONTIME",
                                  "FILTER",
                                  "DELIMITER"}) {
            EXPECT_TRUE(block.metadata.contains(asked)) << asked;
        }
        EXPECT_EQ(block.metadata.at("DELIMITER"), "PIPE");
        EXPECT_EQ(block.metadata.at("MAGBAND"), "R");
        EXPECT_EQ(block.metadata.at("MPCCODE"), "XXX");
        EXPECT_EQ(block.metadata.at("COMPMAG1"), "13.250");
        EXPECT_FALSE(block.metadata.contains("COMPNAME2"));
    }
    const ReadBlock& first = blocks.front();
    EXPECT_EQ(first.metadata.at("OBJECTNUMBER"), "2712345");
    EXPECT_EQ(first.metadata.at("OBJECTNAME"), "Velmar");
    // Day 2464000.5 is 7 February 2034 (days from J2000.0, 2451545.0, counted by the calendar).
    EXPECT_EQ(first.metadata.at("SESSIONDATE"), "2034-02-06");
    EXPECT_EQ(first.metadata.at("SESSIONTIME"), "20:24:00");
    EXPECT_EQ(first.metadata.at("OBJECTRA"),
              "00:00:00"); // 359.99995 degrees are rounded to a whole turn
    EXPECT_EQ(first.metadata.at("OBJECTDEC"), "-00:30:45");
    EXPECT_EQ(first.metadata.at("PHASE"), "12.25");
    ASSERT_EQ(first.data.size(), 2U); // the flagged point is not the body's alone
    EXPECT_NEAR(first.data[0][0], 2464000.25, 1e-6);
    EXPECT_NEAR(first.data[0][1], 15.1234, 6e-4);
    EXPECT_NEAR(first.data[0][2], 0.012, 1e-9);
    EXPECT_EQ(blocks[1].data.size(), 1U);
    EXPECT_EQ(blocks[2].metadata.at("OBJECTNUMBER"), "0");
    EXPECT_EQ(blocks[2].metadata.at("MPCDESIG"), "2034 AB1");
    EXPECT_FALSE(blocks[2].metadata.contains("PHASE"));
}

/// Truth: libxml2's reading of the document, by the names and columns of the standard.
TEST(CurveFilesTest, VoTableIsReadByAnotherLibrary) {
    const test_support::TemporaryFolder folder;
    ASSERT_TRUE(writeCurves(folder / "c.vot", someCurves(), {}));
    const test_support::VoTable table(test_support::contentOf(folder / "c.vot"));
    ASSERT_TRUE(table.isReadable());
    const auto told = [&](const std::string& path) { return table.told(path); };
    const auto cell = [&](int row, const char* column) {
        return told("//v:TR[" + std::to_string(row) + "]/v:TD[count(//v:FIELD[@name='" + column +
                    "']/preceding-sibling::v:FIELD) + 1]");
    };
    EXPECT_EQ(told("/v:VOTABLE/@version"), "1.4");
    EXPECT_EQ(told("count(//v:TR)"), "5");
    EXPECT_EQ(told("count(//v:TD)"), told("5 * count(//v:FIELD)"));
    EXPECT_EQ(told("//v:FIELD[@name='mag']/@unit"), "mag");
    EXPECT_EQ(told("//v:FIELD[@name='mag']/@ucd"), "phot.mag");
    EXPECT_EQ(cell(1, "target"), "(2712345) Velmar");
    EXPECT_EQ(cell(1, "file"), "night, one.fits");
    EXPECT_NEAR(std::stod(cell(1, "mag")), 15.1234, 1e-9);
    EXPECT_NEAR(std::stod(cell(1, "bjd_tdb")), 2464000.253, 1e-7);
    EXPECT_EQ(cell(3, "flags"), "blend");
    EXPECT_EQ(cell(5, "reduced_mag"), "");
}

} // namespace
} // namespace pathmark::night
