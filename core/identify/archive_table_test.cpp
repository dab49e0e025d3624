#include "core/identify/archive_table.h"

#include "tests/support/vo_table.h"

#include <gtest/gtest.h>

#include <algorithm>

namespace pathmark::identify {
namespace {

std::vector<ArchiveRow> someRows() {
    ArchiveRow row;
    row.body = "2030 DB2";
    row.file = "night, one/a \"b\" <c>.fits";
    row.middle = *parseUtc("2030-03-05T21:01:00.168");
    row.sky = skyDegrees(166.5773138, 6.3679351);
    row.x = 897.6;
    row.y = 339.3;
    row.magnitude = 17.94;
    ArchiveRow other = row;
    other.body = "C/2031 A1";
    other.file = "plain.fits";
    other.magnitude = std::nullopt;
    return {row, other};
}

TEST(ArchiveTableTest, CsvQuotesWhatHasCommasAndQuotes) {
    const std::string csv = toArchiveCsv(someRows());
    EXPECT_TRUE(csv.starts_with("body,file,mid_time,ra,dec,x,y,"));
    EXPECT_NE(csv.find("2030 DB2,\"night, one/a \"\"b\"\" <c>.fits\",2030-03-05T21:01:00.168Z,"),
              std::string::npos)
        << csv;
    EXPECT_EQ(std::count(csv.begin(), csv.end(), '\n'), 3);
}

/// Truth: libxml2's reading of the document: the cells of the standard's TABLEDATA.
TEST(ArchiveTableTest, VoTableIsReadByAnotherLibrary) {
    const test_support::VoTable table(toArchiveVoTable(someRows()));
    ASSERT_TRUE(table.isReadable());
    const auto textOf = [&](const char* path) { return table.told(path); };
    EXPECT_EQ(textOf("count(//v:FIELD)"), textOf("count(//v:TR[1]/v:TD)"));
    EXPECT_EQ(textOf("count(//v:TR)"), "2");
    EXPECT_EQ(textOf("//v:TR[1]/v:TD[2]"), "night, one/a \"b\" <c>.fits");
    EXPECT_EQ(textOf("//v:FIELD[@name='ra']/@unit"), "deg");
    // As the standard of units writes it (IVOA VOUnits 1.1, table 4); "pix" is refused by strict readers.
    EXPECT_EQ(textOf("//v:FIELD[@name='x']/@unit"), "pixel");
    EXPECT_EQ(textOf("//v:FIELD[@name='y']/@unit"), "pixel");
    EXPECT_EQ(textOf("//v:TR[2]/v:TD[10]"), "");
    EXPECT_EQ(textOf("/v:VOTABLE/@version"), "1.4");
}

/// There and back: every value to the digits that are written, awkward file names and absent magnitudes too.
TEST(ArchiveTableTest, BothFormatsAreReadAgain) {
    const auto rows = someRows();
    for (const std::string& text : {toArchiveCsv(rows), toArchiveVoTable(rows)}) {
        const auto again = parseArchiveTable(text);
        ASSERT_TRUE(again) << again.error().detail;
        ASSERT_EQ(again->size(), rows.size());
        for (std::size_t i = 0; i < rows.size(); ++i) {
            EXPECT_EQ((*again)[i].body, rows[i].body);
            EXPECT_EQ((*again)[i].file, rows[i].file);
            EXPECT_NEAR((*again)[i].middle.secondsSince(rows[i].middle), 0.0, 1e-3);
            EXPECT_LT(separation((*again)[i].sky, rows[i].sky).arcsec(), 0.001);
            EXPECT_NEAR((*again)[i].x, rows[i].x, 0.005);
            EXPECT_EQ((*again)[i].magnitude.has_value(), rows[i].magnitude.has_value());
        }
        EXPECT_NEAR((*again)[0].magnitude.value_or(0.0), 17.94, 1e-9);
    }
}

TEST(ArchiveTableTest, AForeignTableSaysWhatItLacks) {
    const auto missing = parseArchiveTable("body,file,ra,dec\nx,y,1,2\n");
    ASSERT_FALSE(missing);
    EXPECT_EQ(missing.error().id, ErrorId::IdentifyBadArchive);
    EXPECT_NE(missing.error().detail.find("'mid_time'"), std::string::npos);
    std::string csv = toArchiveCsv(someRows());
    csv.replace(csv.find("166.5773138"), 11, "166.57x3138");
    const auto wrong = parseArchiveTable(csv);
    ASSERT_FALSE(wrong);
    EXPECT_NE(wrong.error().detail.find("Row 1, column 'ra'"), std::string::npos);
    EXPECT_FALSE(parseArchiveTable("<VOTABLE><RESOURCE>"));
    EXPECT_FALSE(parseArchiveTable(""));
}

} // namespace
} // namespace pathmark::identify
