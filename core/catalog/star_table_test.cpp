#include "core/catalog/star_table.h"

#include "core/catalog/import.h"
#include "core/catalog/star_store.h"
#include "tests/support/temporary_folder.h"

#include <fitsio.h>
#include <fmt/format.h>
#include <gtest/gtest.h>
#include <zlib.h>

#include <cmath>
#include <fstream>
#include <random>

namespace pathmark::catalog {
namespace {

namespace fs = std::filesystem;
using test_support::TemporaryFolder;

const std::string kHead = "source_id,ra,dec,phot_g_mean_mag,phot_bp_mean_mag,phot_rp_mean_mag,pmra,"
                          "pmdec,parallax,ref_epoch\n";

struct Read {
    Result<TableReport> report;
    std::vector<StarRow> rows;
};

Read readAll(const fs::path& path) {
    Read read{fail(ErrorId::CatalogBadTable, ""), {}};
    read.report = readStarTable(path,
                                [&](const std::vector<StarRow>& some) {
                                    read.rows.insert(read.rows.end(), some.begin(), some.end());
                                    return Result<bool>(true);
                                },
                                {});
    return read;
}

void write(const fs::path& path, const std::string& text) {
    std::ofstream(path, std::ios::binary) << text;
}

void writeGzip(const fs::path& path, const std::string& text) {
    gzFile out = gzopen(path.c_str(), "wb");
    gzwrite(out, text.data(), static_cast<unsigned>(text.size()));
    gzclose(out);
}

TEST(CsvTableTest, BadRowsAreCountedAndSkipped) {
    const TemporaryFolder folder;
    write(folder / "a.csv",
          kHead + "1,10.5,20.25,15.5,16,15,,,,2016.0\n2,ten,20,15,,,,,,\n3,10.6,95,15,,,,,,\n"
                  "4,10.7,20.3,14.5,,,,,,\n5,nan,20.3,14.5,,,,,,\n");
    const auto [report, rows] = readAll(folder / "a.csv");
    ASSERT_TRUE(report);
    EXPECT_EQ(rows.size(), 2U);
    EXPECT_EQ(report->badRows, 3U);
    EXPECT_NE(report->firstBad.find("line 3"), std::string::npos) << report->firstBad;
    EXPECT_TRUE(std::isnan(rows[1].magBp));
    EXPECT_EQ(rows[0].sourceId, 1);
}

TEST(CsvTableTest, ColumnsInAnyOrderAndGzip) {
    const TemporaryFolder folder;
    writeGzip(folder / "a.csv.gz", "\"phot_g_mean_mag\",\"DEC\",\"ra\"\r\n12.5,-3.5,200.25\r\n");
    const auto [report, rows] = readAll(folder / "a.csv.gz");
    ASSERT_TRUE(report);
    ASSERT_EQ(rows.size(), 1U);
    EXPECT_EQ(rows[0].raDegrees, 200.25);
    EXPECT_EQ(rows[0].decDegrees, -3.5);
    EXPECT_EQ(rows[0].refEpoch, 2016.0F);
}

TEST(CsvTableTest, AMissingColumnIsNamed) {
    const TemporaryFolder folder;
    write(folder / "a.csv", "ra,dec\n1,2\n");
    const auto read = readAll(folder / "a.csv");
    ASSERT_FALSE(read.report);
    EXPECT_NE(read.report.error().detail.find("phot_g_mean_mag"), std::string::npos);
}

TEST(CsvTableTest, RaAndDecExchangedIsSaid) {
    const TemporaryFolder folder;
    std::string text = "dec,ra,phot_g_mean_mag\n";
    for (int i = 0; i < 50; ++i) {
        text += fmt::format("{},-12.5,14\n", 100 + i);
    }
    write(folder / "a.csv", text);
    const auto read = readAll(folder / "a.csv");
    ASSERT_FALSE(read.report);
    EXPECT_NE(read.report.error().detail.find("exchanged"), std::string::npos);
}

TEST(CsvTableTest, ACutGzipFileIsSaid) {
    const TemporaryFolder folder;
    std::string text = kHead;
    std::mt19937 random(1);
    for (int i = 0; i < 20000; ++i) {
        text += fmt::format("{},{},{},15,,,,,,\n",
                            i,
                            random() % 360,
                            0.001 * static_cast<double>(random() % 90000));
    }
    writeGzip(folder / "a.csv.gz", text);
    fs::resize_file(folder / "a.csv.gz", fs::file_size(folder / "a.csv.gz") / 2);
    const auto read = readAll(folder / "a.csv.gz");
    ASSERT_FALSE(read.report);
    EXPECT_EQ(read.report.error().id, ErrorId::CatalogBadTable);
}

/// Truth: the numbers that were put in; a table larger than one block of lines.
TEST(CsvTableTest, ALongTableComesWholeAndInOrder) {
    const TemporaryFolder folder;
    std::string text = "source_id,ra,dec,phot_g_mean_mag\n";
    constexpr int count = 400000;
    for (int i = 0; i < count; ++i) {
        text += fmt::format("{},{:.9f},{:.9f},{:.6f}\n",
                            1000000000000LL + i,
                            359.0 * i / count,
                            -80.0 + 160.0 * i / count,
                            10.0 + 10.0 * i / count);
    }
    write(folder / "a.csv", text);
    const auto [report, rows] = readAll(folder / "a.csv");
    ASSERT_TRUE(report);
    ASSERT_EQ(rows.size(), static_cast<std::size_t>(count));
    for (int i = 0; i < count; i += 997) {
        const StarRow& row = rows[static_cast<std::size_t>(i)];
        EXPECT_EQ(row.sourceId, 1000000000000LL + i);
        EXPECT_NEAR(row.raDegrees, 359.0 * i / count, 1e-9);
    }
}

/// Truth: cfitsio wrote the table, with columns of three types and a null.
TEST(FitsTableTest, ColumnsOfAnyTypeAreRead) {
    const TemporaryFolder folder;
    fitsfile* file = nullptr;
    int status = 0;
    const std::string path = (folder / "a.fits").string();
    fits_create_diskfile(&file, path.c_str(), &status);
    std::array<std::string, 5> names{"SOURCE_ID", "ra", "dec", "phot_g_mean_mag", "pmra"};
    std::array<std::string, 5> forms{"K", "D", "D", "E", "E"};
    std::array<char*, 5> name{};
    std::array<char*, 5> form{};
    for (std::size_t i = 0; i < 5; ++i) {
        name[i] = names[i].data();
        form[i] = forms[i].data();
    }
    fits_create_tbl(file, BINARY_TBL, 0, 5, name.data(), form.data(), nullptr, "stars", &status);
    std::array<long long, 3> ids{5, 6, 7};
    std::array<double, 3> ra{10.0, 20.0, 400.0};
    std::array<double, 3> dec{-10.0, -20.0, 5.0};
    std::array<float, 3> mag{12.0F, 13.0F, 14.0F};
    std::array<float, 3> pm{1.5F, std::nanf(""), 0.0F};
    fits_write_col(file, TLONGLONG, 1, 1, 1, 3, ids.data(), &status);
    fits_write_col(file, TDOUBLE, 2, 1, 1, 3, ra.data(), &status);
    fits_write_col(file, TDOUBLE, 3, 1, 1, 3, dec.data(), &status);
    fits_write_col(file, TFLOAT, 4, 1, 1, 3, mag.data(), &status);
    fits_write_col(file, TFLOAT, 5, 1, 1, 3, pm.data(), &status);
    fits_close_file(file, &status);
    ASSERT_EQ(status, 0);
    const auto [report, rows] = readAll(folder / "a.fits");
    ASSERT_TRUE(report) << report.error().detail;
    ASSERT_EQ(rows.size(), 2U);
    EXPECT_EQ(report->badRows, 1U);
    EXPECT_NE(report->firstBad.find("row 3"), std::string::npos);
    EXPECT_EQ(rows[1].sourceId, 6);
    EXPECT_EQ(rows[0].pmRaMasPerYear, 1.5F);
    EXPECT_TRUE(std::isnan(rows[1].pmRaMasPerYear));
    fs::resize_file(folder / "a.fits", 2880 + 1000);
    EXPECT_EQ(readAll(folder / "a.fits").report.error().id, ErrorId::CatalogBadTable);
}

std::string votable(const std::string& fields, const std::string& data) {
    return "<?xml version=\"1.0\"?>\n<VOTABLE version=\"1.4\" "
           "xmlns=\"http://www.ivoa.net/xml/VOTable/v1.3\"><RESOURCE>"
           "<INFO name=\"QUERY_STATUS\" value=\"OK\"/><TABLE>" +
           fields + "<DATA>" + data + "</DATA></TABLE></RESOURCE></VOTABLE>\n";
}

const std::string kFields = "<FIELD name=\"ra\" datatype=\"double\"/>"
                            "<FIELD name=\"note\" datatype=\"char\" arraysize=\"*\"/>"
                            "<FIELD name=\"dec\" datatype=\"double\"/>"
                            "<FIELD name=\"phot_g_mean_mag\" datatype=\"float\"/>"
                            "<FIELD name=\"source_id\" datatype=\"long\"/>";

TEST(VotableTest, TableDataIsRead) {
    const TemporaryFolder folder;
    write(
        folder / "a.vot",
        votable(
            kFields,
            "<TABLEDATA><TR><TD>10.5</TD><TD>a &amp; b</TD><TD>-3</TD><TD>14.5</TD><TD>77</TD></TR>"
            "<TR><TD/><TD/><TD>1</TD><TD>2</TD><TD/></TR></TABLEDATA>"));
    const auto [report, rows] = readAll(folder / "a.vot");
    ASSERT_TRUE(report) << report.error().detail;
    ASSERT_EQ(rows.size(), 1U);
    EXPECT_EQ(report->badRows, 1U);
    EXPECT_EQ(rows[0].raDegrees, 10.5);
    EXPECT_EQ(rows[0].sourceId, 77);
    writeGzip(folder / "a.vot.gz", votable(kFields, "<TABLEDATA></TABLEDATA>"));
    EXPECT_TRUE(readAll(folder / "a.vot.gz").report);
}

/// Truth: the bytes written out by hand after VOTable 1.4, sec. 5.4: a byte of null bits, then big-endian values, the
/// string with its length first. Base64 by another tool.
TEST(VotableTest, Binary2IsRead) {
    const TemporaryFolder folder;
    // nulls 0; ra 10.5 = 4025000000000000; note "hi"; dec -3 = C008000000000000; mag 14.5 = 41680000; id 77.
    // nulls note and id (the second and the fifth bit); ra 1; dec 2; mag 3.
    const std::string stream =
        "AEAlAAAAAAAAAAAAAmhpwAgAAAAAAABBaAAAAAAAAAAAAE1IP/AAAAAAAAAAAAAAQAAAAAAAAABAQAAA"
        "AAAAAAAAAAA=";
    write(folder / "a.vot",
          votable(kFields,
                  "<BINARY2><STREAM encoding=\"base64\">\n" + stream + "\n</STREAM></BINARY2>"));
    const auto [report, rows] = readAll(folder / "a.vot");
    ASSERT_TRUE(report) << report.error().detail;
    ASSERT_EQ(rows.size(), 2U);
    EXPECT_EQ(rows[0].raDegrees, 10.5);
    EXPECT_EQ(rows[0].decDegrees, -3.0);
    EXPECT_EQ(rows[0].magG, 14.5F);
    EXPECT_EQ(rows[0].sourceId, 77);
    EXPECT_EQ(rows[1].decDegrees, 2.0);
    EXPECT_EQ(rows[1].sourceId, 0);
    write(folder / "b.vot",
          votable(kFields,
                  "<BINARY2><STREAM encoding=\"base64\">" + stream.substr(0, 80) +
                      "</STREAM></BINARY2>"));
    EXPECT_EQ(readAll(folder / "b.vot").report.error().id, ErrorId::CatalogBadTable);
}

TEST(VotableTest, WhatIsNoTableIsSaid) {
    const TemporaryFolder folder;
    write(folder / "page.vot", "<!DOCTYPE html><html><body><p>Log in<br></body></html>");
    EXPECT_EQ(readAll(folder / "page.vot").report.error().id, ErrorId::CatalogBadTable);
    write(folder / "cut.vot", votable(kFields, "<TABLEDATA><TR><TD>1</TD>").substr(0, 500));
    EXPECT_EQ(readAll(folder / "cut.vot").report.error().id, ErrorId::CatalogBadTable);
    write(folder / "error.vot",
          "<VOTABLE><RESOURCE><INFO name=\"QUERY_STATUS\" value=\"ERROR\">no such "
          "table</INFO></RESOURCE></VOTABLE>");
    const auto refused = readAll(folder / "error.vot").report;
    EXPECT_EQ(refused.error().id, ErrorId::CatalogServiceRefused);
    EXPECT_NE(refused.error().detail.find("no such table"), std::string::npos);
}

TEST(StarTableTest, EmptyAndAbsentFilesAreSaid) {
    const TemporaryFolder folder;
    write(folder / "empty.csv", "");
    EXPECT_EQ(readAll(folder / "empty.csv").report.error().id, ErrorId::CatalogBadTable);
    EXPECT_EQ(readAll(folder / "absent.csv").report.error().id, ErrorId::CatalogBadTable);
}

std::vector<StarRow> someRows(int count) {
    std::mt19937 random(9);
    std::uniform_real_distribution<double> share(0.0, 1.0);
    std::vector<StarRow> rows;
    for (int i = 0; i < count; ++i) {
        StarRow row;
        row.sourceId = i;
        row.raDegrees = 359.9 * share(random);
        row.decDegrees = 180.0 * share(random) - 90.0;
        row.magG = static_cast<float>(20.0 * share(random));
        rows.push_back(row);
    }
    return rows;
}

/// Truth: the store written in one portion.
TEST(StoreWriterTest, PortionsMergeIntoTheSameStore) {
    const TemporaryFolder folder;
    const auto rows = someRows(20000);
    StoreWriter whole(folder.path(), "whole", 1'000'000);
    ASSERT_TRUE(whole.add(rows));
    const auto one = whole.finish();
    StoreWriter parts(folder.path(), "parts", 3000);
    for (std::size_t i = 0; i < rows.size(); i += 1000) {
        ASSERT_TRUE(parts.add({rows.begin() + static_cast<std::ptrdiff_t>(i),
                               rows.begin() + static_cast<std::ptrdiff_t>(i + 1000)}));
    }
    const auto many = parts.finish();
    ASSERT_TRUE(one && many);
    EXPECT_EQ(one->stars, 20000U);
    EXPECT_EQ(many->stars, 20000U);
    EXPECT_EQ(StarStore::open(folder.path(), "whole")->contentDigest(),
              StarStore::open(folder.path(), "parts")->contentDigest());
}

TEST(StoreWriterTest, TheSameStarTwiceIsKeptOnceAndNothingIsLeftBehind) {
    const TemporaryFolder folder;
    auto rows = someRows(500);
    rows.insert(rows.end(), rows.begin(), rows.begin() + 50);
    {
        StoreWriter writer(folder.path(), "s", 200);
        ASSERT_TRUE(writer.add(rows));
        const auto report = writer.finish();
        ASSERT_TRUE(report);
        EXPECT_EQ(report->stars, 500U);
        EXPECT_EQ(report->duplicates, 50U);
    }
    int files = 0;
    for ([[maybe_unused]] const auto& entry : fs::directory_iterator(folder.path())) {
        ++files;
    }
    EXPECT_EQ(files, 1);
}

TEST(ImportTablesTest, ABadTableIsSaidAndTheOthersAreRead) {
    const TemporaryFolder folder;
    write(folder / "a.csv", "ra,dec,phot_g_mean_mag\n10,20,12\n");
    write(folder / "b.csv", "nothing of the kind\n");
    const auto report =
        importTables({folder / "a.csv", folder / "b.csv"}, folder / "store", "s", {});
    ASSERT_TRUE(report);
    EXPECT_EQ(report->store.stars, 1U);
    EXPECT_TRUE(report->tables[0].second);
    EXPECT_FALSE(report->tables[1].second);
}

} // namespace
} // namespace pathmark::catalog
