#include "core/night/run_needs.h"

#include "core/catalog/import.h"
#include "tests/support/matchers.h"
#include "tests/support/temporary_folder.h"

#include <gtest/gtest.h>

#include <cstdlib>
#include <fstream>

namespace pathmark::night {
namespace {

namespace fs = std::filesystem;

frame::Site siteAt(double longitude) {
    frame::Site site;
    site.longitude = Angle::degrees(longitude);
    site.latitude = Angle::degrees(-31.0);
    site.altitudeMetres = 1200.0;
    return site;
}

class RunNeedsTest : public testing::Test {
  protected:
    void SetUp() override {
        setenv("XDG_DATA_HOME", (folder_ / "data").c_str(), 1);
        std::ofstream(folder_ / "stars.csv") << "source_id,ra,dec,phot_g_mean_mag\n1,10,20,12\n";
        ASSERT_TRUE(catalog::importTables({folder_ / "stars.csv"}, folder_ / "store", "mine", {}));
    }

    void TearDown() override { unsetenv("XDG_DATA_HOME"); }

    test_support::TemporaryFolder folder_;
};

TEST_F(RunNeedsTest, HeadersGoBeforeEquipmentAndThatBeforeTheLastTime) {
    frame::FrameInfo told;
    told.path = "a.fits";
    told.site = siteAt(10.0);
    frame::Equipment equipment;
    equipment.sites.push_back({"Ridge", siteAt(20.0)});
    equipment.observers = {"I. Vellamo"};
    RecipeChoices kept;
    kept.site = siteAt(30.0);
    kept.observer = "O. Tamsin";
    const std::vector<frame::FrameInfo> frames{{}, told};
    EXPECT_NEAR(findNeeds(frames, equipment, kept).site->longitude.degrees(), 10.0, 1e-9);
    EXPECT_EQ(findNeeds(frames, equipment, kept).siteFrom, "header of a.fits");
    EXPECT_NEAR(findNeeds({}, equipment, kept).site->longitude.degrees(), 20.0, 1e-9);
    EXPECT_EQ(findNeeds({}, equipment, kept).observer, "I. Vellamo");
    equipment.sites.push_back({"Valley", siteAt(25.0)});
    EXPECT_NEAR(findNeeds({}, equipment, kept).site->longitude.degrees(), 30.0, 1e-9)
        << "of two sites nobody knows which";
    EXPECT_FALSE(findNeeds({}, {}, {}).site);
    EXPECT_FALSE(findNeeds({}, {}, {}).isComplete());
}

TEST_F(RunNeedsTest, WhatIsKeptCountsAsLongAsItIsThere) {
    RecipeChoices kept;
    kept.store = folder_ / "store";
    kept.catalog = "mine";
    kept.site = siteAt(1.0);
    std::ofstream(folder_ / "orbits.txt") << "\n";
    kept.orbits = {folder_ / "orbits.txt", folder_ / "gone.txt"};
    const RunNeeds needs = findNeeds({}, {}, kept);
    EXPECT_TRUE(needs.isComplete());
    EXPECT_EQ(needs.catalogFrom, "as the last time");
    ASSERT_EQ(needs.orbits.size(), 1U);
    EXPECT_EQ(needs.choices().catalog, "mine");
    kept.catalog = "other";
    EXPECT_FALSE(findNeeds({}, {}, kept).isComplete());
}

TEST_F(RunNeedsTest, ASiteIsReadAsItIsWritten) {
    orbit::SiteCodes codes;
    frame::Site known = siteAt(5.0);
    known.code = "XXA";
    codes.add(known, "Made-up Hill");
    EXPECT_NEAR(siteFromText("XXA", codes)->longitude.degrees(), 5.0, 1e-9);
    const auto place = siteFromText(" XXB  24.5 -27.25 1187 ", codes);
    ASSERT_TRUE(place);
    EXPECT_EQ(place->code, "XXB");
    EXPECT_NEAR(place->latitude.degrees(), -27.25, 1e-9);
    EXPECT_EQ(siteFromText(siteText(*place), codes)->altitudeMetres, 1187.0);
    for (const char* wrong : {"", "XXC", "24.5 -27.25", "24.5 -97 10", "a b c", "24 -27 99999"}) {
        EXPECT_FALSE(siteFromText(wrong, codes)) << wrong;
    }
}

} // namespace
} // namespace pathmark::night
