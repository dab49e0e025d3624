#include "core/catalog/band.h"
#include "core/catalog/star_store.h"
#include "core/catalog/store_writer.h"
#include "tests/support/matchers.h"
#include "tests/support/temporary_folder.h"

#include <erfa.h>
#include <gtest/gtest.h>

#include <cmath>
#include <fstream>
#include <random>

namespace pathmark::catalog {
namespace {

using test_support::TemporaryFolder;

std::vector<StarRow> randomRows(int count) {
    std::mt19937 random(2);
    std::uniform_real_distribution<double> ra(0.0, 360.0);
    std::uniform_real_distribution<double> z(-1.0, 1.0);
    std::uniform_real_distribution<float> mag(8.0F, 20.0F);
    std::vector<StarRow> rows;
    for (int i = 0; i < count; ++i) {
        StarRow row;
        row.sourceId = i + 1;
        row.raDegrees = ra(random);
        row.decDegrees = std::asin(z(random)) / kRadiansPerDegree;
        row.magG = mag(random);
        rows.push_back(row);
    }
    return rows;
}

/// Truth: every row tested one by one; fields at the poles and across 0 h among them.
TEST(StarStoreTest, AFieldHoldsAllItsStarsAndNoOther) {
    const TemporaryFolder folder;
    const auto rows = randomRows(30000);
    ASSERT_TRUE(writeStore(folder.path(), "all", rows));
    const auto store = StarStore::open(folder.path(), "all");
    ASSERT_TRUE(store);
    EXPECT_EQ(store->starCount(), 30000U);
    for (const auto& [ra, dec] :
         {std::pair{0.05, 3.0}, {200.0, 89.5}, {45.0, -89.9}, {359.9, -40.0}}) {
        const SkyPos centre = skyDegrees(ra, dec);
        std::size_t expected = 0;
        for (const StarRow& row : rows) {
            expected +=
                separation(skyDegrees(row.raDegrees, row.decDegrees), centre).degrees() < 4.0 ? 1
                                                                                              : 0;
        }
        const auto field = store->field(centre, Angle::degrees(4.0), Utc::julian(2457389.0));
        ASSERT_TRUE(field);
        EXPECT_NEAR(static_cast<double>(field->size()), static_cast<double>(expected), 1.0);
        for (std::size_t i = 1; i < field->size(); ++i) {
            EXPECT_LE((*field)[i - 1].magG, (*field)[i].magG);
        }
    }
}

/// Truth: ERFA eraPmsafe for the proper motion; the parallax adds at most itself.
TEST(StarStoreTest, StarsAreMovedToTheDate) {
    const TemporaryFolder folder;
    StarRow row;
    row.raDegrees = 166.5;
    row.decDegrees = 60.0;
    row.pmRaMasPerYear = 800.0F;
    row.pmDecMasPerYear = -500.0F;
    row.magG = 10.0F;
    ASSERT_TRUE(writeStore(folder.path(), "one", {row}));
    const auto store = StarStore::open(folder.path(), "one");
    const auto field = store->field(
        skyDegrees(166.5, 60.0), Angle::degrees(0.1), *parseUtc("2034-03-17T12:00:00"));
    ASSERT_TRUE(field);
    double ra = 0.0;
    double dec = 0.0;
    double other[4];
    const double start = 166.5 * kRadiansPerDegree;
    const double latitude = 60.0 * kRadiansPerDegree;
    const auto tdb = toTdb(*parseUtc("2034-03-17T12:00:00"));
    eraPmsafe(start,
              latitude,
              0.8 * kRadiansPerArcsec / std::cos(latitude),
              -0.5 * kRadiansPerArcsec,
              1e-7,
              0.0,
              2457389.0,
              0.0,
              tdb.day(),
              tdb.fraction(),
              &ra,
              &dec,
              &other[0],
              &other[1],
              &other[2],
              &other[3]);
    EXPECT_THAT(field->front().place,
                test_support::IsNearDirection(SkyPos{Angle::radians(ra), Angle::radians(dec)},
                                              Angle::arcsec(0.002)));
}

TEST(StarStoreTest, WhatIsNotThereIsSaid) {
    const TemporaryFolder folder;
    ASSERT_TRUE(writeStore(folder.path(), "north", {StarRow{}}));
    const auto missing = StarStore::open(folder.path(), "south");
    ASSERT_FALSE(missing);
    EXPECT_NE(missing.error().detail.find("north"), std::string::npos);
    const auto store = StarStore::open(folder.path(), "north");
    EXPECT_EQ(store->field(skyDegrees(180.0, -60.0), Angle::degrees(1.0), Utc::julian(2457389.0))
                  .error()
                  .id,
              ErrorId::CatalogNoStars);
    std::filesystem::resize_file(folder / "north.stars", 1000);
    EXPECT_EQ(StarStore::open(folder.path(), "north").error().id, ErrorId::CatalogNotFound);
}

TEST(BandTest, TheSunsColour) {
    // Truth: Gaia DR3 table 5.9 worked out by hand for BP - RP = 0.82.
    EXPECT_NEAR(toBand(Band::V, 0.0, 0.82), 0.15247, 1e-4);
    EXPECT_NEAR(toBand(Band::R, 0.0, 0.82), -0.21248, 1e-4);
}

TEST(BandTest, TheSunIsAsItIsInSloansBands) {
    // Truth: Willmer 2018, ApJS 236, 47: the Sun's colours in SDSS bands, AB: g - r 0.46, r - i 0.12, i - z 0.03; V - r 0.16.
    const auto at = [](Band band) { return toBand(band, 0.0, 0.82); };
    EXPECT_NEAR(at(Band::SloanG) - at(Band::SloanR), 0.46, 0.08);
    EXPECT_NEAR(at(Band::SloanR) - at(Band::SloanI), 0.12, 0.05);
    EXPECT_NEAR(at(Band::SloanI) - at(Band::SloanZ), 0.03, 0.05);
    EXPECT_NEAR(at(Band::V) - at(Band::SloanR), 0.16, 0.05);
}

TEST(BandTest, FiltersUnderTheirManyNames) {
    const std::vector<std::pair<Band, std::vector<const char*>>> names{
        {Band::G,
         {"", "C", "L", "Clear", "CLEAR", "Luminance", "lum", "No Filter", "none", "Open"}},
        {Band::V, {"V", "Bessell V", "Johnson-V", "V_Johnson", "vj", "Green", "G", "TG"}},
        {Band::R, {"R", "Rc", "R Cousins", "Bessel R", "Red", "RC"}},
        {Band::I, {"I", "Ic", "Cousins I", "Ij"}},
        {Band::B, {"B", "Bj", "Johnson B", "Blue"}},
        {Band::SloanG, {"g", "g'", "G'", "Sloan g", "SDSS-g", "sdss_g", "gp", "Sg", "g prime"}},
        {Band::SloanR, {"r", "r'", "R'", "Sloan r'", "SDSS r", "rp", "SR"}},
        {Band::SloanI, {"i", "i'", "sloan_i", "ip", "Si"}},
        {Band::SloanZ, {"z", "z'", "SDSS z", "zs", "zp", "Sz"}},
    };
    for (const auto& [band, spellings] : names) {
        for (const char* spelling : spellings) {
            const auto found = bandForFilter(spelling);
            ASSERT_TRUE(found) << spelling;
            EXPECT_EQ(*found, band) << spelling << " is taken for " << name(*found);
        }
        EXPECT_EQ(bandNamed(name(band)), band);
    }
    for (const char* other :
         {"H-alpha", "Ha", "OIII", "SII", "U", "Johnson U", "u'", "y", "CH4", "2"}) {
        EXPECT_FALSE(bandForFilter(other)) << other;
    }
}

} // namespace
} // namespace pathmark::catalog
