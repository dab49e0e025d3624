#include "core/night/comparison_set.h"
#include "core/night/marks_table.h"
#include "core/night/needs/made_recipe.h"
#include "core/night/night_places.h"
#include "core/night/recipe.h"
#include "core/night/record_json.h"
#include "tests/support/moving_frames.h"
#include "tests/support/temporary_folder.h"

#include <fmt/format.h>
#include <gtest/gtest.h>

#include <fstream>

// The small tables that observers write by hand or carry from night to night.
namespace pathmark::night {
namespace {

namespace fs = std::filesystem;
using test_support::TemporaryFolder;

class TablesTest : public testing::Test {
  protected:
    [[nodiscard]] fs::path written(const std::string& text) const {
        fs::path path = folder_ / "table.csv";
        std::ofstream(path) << text;
        return path;
    }

    [[nodiscard]] std::string whySet(const std::string& text) const {
        const auto set = readSet(written(text));
        EXPECT_FALSE(set) << text;
        return set ? "" : set.error().detail;
    }

    TemporaryFolder folder_;
};

TEST_F(TablesTest, ASetIsReadByItsRoles) {
    const auto good = readSet(written("Role,Name,RA,Dec,Band,Mag\r\n"
                                      "target,\"2031 AB, the fast one\",10.5,-20.25\n"
                                      "\n"
                                      "comparison,17,10.6,-20.3,V,13.125\n"
                                      "comparison,18,10.7,-20.4,,\n"
                                      "CHECK,19,359.0,-9.1,,\n"));
    ASSERT_TRUE(good) << good.error().detail;
    ASSERT_EQ(good->targets.size(), 1U);
    EXPECT_EQ(good->targets[0].name, "2031 AB, the fast one");
    EXPECT_NEAR(good->targets[0].place.latitude.degrees(), -20.25, 1e-12);
    ASSERT_EQ(good->stars.comparison.size(), 2U);
    EXPECT_EQ(good->stars.comparison[0].band, "V");
    EXPECT_DOUBLE_EQ(good->stars.comparison[0].mag.value_or(0.0), 13.125);
    EXPECT_FALSE(good->stars.comparison[1].mag);
    ASSERT_TRUE(good->stars.check);
    EXPECT_EQ(good->stars.check->name, "19");
}

TEST_F(TablesTest, WhatIsWrongInASetIsSaidWithItsLine) {
    const std::string head = "role,name,ra,dec,band,mag\n";
    EXPECT_NE(whySet("name,ra\n").find("first line must be"), std::string::npos);
    EXPECT_NE(whySet(head + "target,a,1,2\nvariable,b,1,2\n").find("Line 3"), std::string::npos);
    EXPECT_NE(whySet(head + "target,a,1\n").find("Line 2"), std::string::npos);
    EXPECT_NE(whySet(head + "target,a,1,95\n").find("no place"), std::string::npos);
    EXPECT_NE(whySet(head + "target,a,370,5\n").find("no place"), std::string::npos);
    EXPECT_NE(whySet(head + "target,a,nan,5\n").find("no place"), std::string::npos);
    EXPECT_NE(whySet(head + "comparison,a,1,5,V,bright\n").find("number"), std::string::npos);
    EXPECT_NE(whySet(head + "comparison,a,1,5,QQ,12.0\n").find("band"), std::string::npos);
    const auto none = readSet(folder_ / "none.csv");
    ASSERT_FALSE(none);
    EXPECT_EQ(none.error().id, ErrorId::CatalogBadTable);
}

/// A saved set serves another night: everything that can be used there comes back from the file.
TEST_F(TablesTest, ASavedSetHoldsTargetsComparisonAndCheck) {
    LightCurves curves;
    BandCurves band;
    band.band = catalog::Band::V;
    for (int i = 0; i < 4; ++i) {
        FieldStar star;
        star.star.sourceId = 4321000 + i;
        star.star.place = skyDegrees(359.9 + 0.05 * i, -0.02 * i);
        star.catalogueMag = 12.0 + 0.5 * i;
        star.scatter.used = i != 3;
        band.stars.push_back(star);
    }
    band.check = 1;
    curves.bands.push_back(band);
    CurveTarget still;
    still.name = "nova, the new one";
    still.place = skyDegrees(0.05, -0.01);
    CurveTarget moving;
    moving.name = "2031 AB";
    moving.elements = orbit::Elements{};
    const fs::path path = folder_ / "set.csv";
    ASSERT_TRUE(writeSet(path, curves, std::vector<CurveTarget>{still, moving}));
    const auto set = readSet(path);
    ASSERT_TRUE(set) << set.error().detail;
    ASSERT_EQ(set->targets.size(), 1U) << "what stands still, and nothing that moves";
    EXPECT_EQ(set->targets[0].name, still.name);
    EXPECT_LT(separation(set->targets[0].place, still.place).arcsec(), 0.001);
    ASSERT_EQ(set->stars.comparison.size(), 2U);
    EXPECT_EQ(set->stars.comparison[1].name, "4321002");
    EXPECT_EQ(set->stars.comparison[1].band, "V");
    EXPECT_NEAR(set->stars.comparison[1].mag.value_or(0.0), 13.0, 1e-4);
    ASSERT_TRUE(set->stars.check);
    EXPECT_LT(separation(set->stars.check->place, band.stars[1].star.place).arcsec(), 0.001);
}

/// Two lights of one solution; the second's file is packed.
std::vector<StackLight> twoLights() {
    std::vector<StackLight> lights(2);
    lights[0].info.path = "/night/a.b_001.fits";
    lights[1].info.path = "/night/a.b_002.fits.fz";
    for (StackLight& light : lights) {
        light.place.wcs = test_support::turnedWcs(30.0, {200.0, 150.0}, 1.5);
    }
    return lights;
}

TEST_F(TablesTest, MarksAreTakenInPixelsOrOnTheSky) {
    const auto lights = twoLights();
    const auto pixels = readMarks(written("y, x ,file,note\r\n"
                                          "151,201,a.b_001.fits,first\r\n"
                                          "\r\n"
                                          "151,211.5,/night/a.b_002.fits.fz,second\r\n"
                                          "161,201,a.b_002,by its stem\r\n"),
                                  lights);
    ASSERT_TRUE(pixels) << pixels.error().detail;
    ASSERT_EQ(pixels->size(), 3U);
    // The first pixel's middle is 1 in files: (201, 151) is the reference pixel (200, 150).
    EXPECT_EQ((*pixels)[0].frame, 0U);
    EXPECT_LT(separation((*pixels)[0].sky, lights[0].place.wcs.referenceSky).arcsec(), 1e-6);
    EXPECT_EQ((*pixels)[1].frame, 1U);
    EXPECT_NEAR(
        separation((*pixels)[1].sky, lights[0].place.wcs.referenceSky).arcsec(), 15.75, 1e-4);
    EXPECT_EQ((*pixels)[2].frame, 1U);
    const auto sky = readMarks(written("FILE,RA,DEC\na.b_001,100.0,30.0\n"), lights);
    ASSERT_TRUE(sky) << sky.error().detail;
    EXPECT_LT(separation((*sky)[0].sky, skyDegrees(100.0, 30.0)).arcsec(), 1e-9);
}

/// Spreadsheets put a mark of the byte order in front of the first name.
TEST_F(TablesTest, AByteOrderMarkIsNoPartOfTheFirstName) {
    const auto marks = readMarks(written("\xEF\xBB\xBF"
                                         "file,x,y\na.b_001.fits,1,1\n"),
                                 twoLights());
    EXPECT_TRUE(marks) << marks.error().detail;
    const auto set = readSet(written("\xEF\xBB\xBF"
                                     "role,name,ra,dec\ntarget,a,1,2\n"));
    EXPECT_TRUE(set) << set.error().detail;
}

TEST_F(TablesTest, WhatIsWrongWithMarksIsSaidWithItsLine) {
    const auto why = [&](const std::string& text) {
        const auto marks = readMarks(written(text), twoLights());
        EXPECT_FALSE(marks) << text;
        return marks ? std::string() : marks.error().detail;
    };
    EXPECT_NE(why("file,x\n").find("first line"), std::string::npos);
    EXPECT_NE(why("file,x,y\na.b_001.fits,1\n").find("Line 2"), std::string::npos);
    EXPECT_NE(why("file,x,y\na.b_001.fits,1,1\nother.fits,1,1\n").find("Line 3"),
              std::string::npos);
    EXPECT_NE(why("file,x,y\na.b_001.fits,one,1\n").find("no place"), std::string::npos);
    EXPECT_NE(why("file,ra,dec\na.b_001.fits,1,91\n").find("no place"), std::string::npos);
    EXPECT_NE(why("file,x,y\na.b_001.fits,inf,1\n").find("no place"), std::string::npos);
}

TEST_F(TablesTest, AMadeRecipeReadsBackAsWhatWasTold) {
    std::ofstream(folder_ / "orbits.json") << "[]";
    RecipeChoices choices;
    frame::Site site;
    site.code = "XXX";
    site.longitude = Angle::degrees(-70.25);
    site.latitude = Angle::degrees(-30.125);
    site.altitudeMetres = 2200.5;
    choices.site = site;
    choices.observers = {"I. \"Vell\" Vellamo \\ O. Tamsin"};
    choices.store = folder_.path() / "stars of tonight";
    choices.catalog = "small";
    choices.orbits = {folder_ / "orbits.json"};
    choices.earthOrientation = folder_ / "earth.txt";
    choices.telescopeDesign = "Reflector";
    choices.apertureMetres = 0.35;
    choices.detector = "CMO";
    const std::string text = recipeText(choices);
    const fs::path path = folder_ / "recipe.toml";
    std::ofstream(path) << text;
    const auto recipe = readRecipe(path);
    ASSERT_TRUE(recipe) << recipe.error().detail << "\n" << text;
    EXPECT_EQ(recipe->site.code, "XXX");
    EXPECT_NEAR(recipe->site.longitude.degrees(), -70.25, 1e-7);
    EXPECT_NEAR(recipe->site.latitude.degrees(), -30.125, 1e-7);
    EXPECT_NEAR(recipe->site.altitudeMetres, 2200.5, 0.01);
    EXPECT_EQ(recipe->catalogStore, choices.store);
    EXPECT_EQ(recipe->catalogName, "small");
    EXPECT_EQ(recipe->head.observers, choices.observers);
    EXPECT_EQ(recipe->head.measurers, choices.observers);
    EXPECT_EQ(recipe->head.telescopeDesign, "Reflector");
    EXPECT_EQ(recipe->head.aperture, "0.35");
    EXPECT_EQ(recipe->head.detector, "CMO");
    ASSERT_EQ(recipe->orbitFiles.size(), 1U);
    EXPECT_EQ(recipe->orbitFiles[0], folder_ / "orbits.json");
}

TEST_F(TablesTest, ARecipeMayLackSiteAndCatalogue) {
    const fs::path path = folder_ / "recipe.toml";
    std::ofstream(path) << recipeText({});
    const auto recipe = readRecipe(path);
    ASSERT_TRUE(recipe) << recipe.error().detail;
    EXPECT_FALSE(recipe->siteKnown);
    EXPECT_TRUE(recipe->ownStars);
    EXPECT_FALSE(recipe->notes.empty()) << "it is said";
    std::ofstream(path) << "[site]\nunknown = true\n";
    const auto noCatalogue = readRecipe(path);
    ASSERT_FALSE(noCatalogue);
    EXPECT_NE(noCatalogue.error().detail.find("own_stars"), std::string::npos);
}

TEST(NightPlacesTest, PathsAreKeptRelativeToTheirFolders) {
    const NightPlaces was{"/data/n1", "/data/n1/results", {}};
    EXPECT_EQ(was.stored("/data/n1/lights/a.fits"), "@folder/lights/a.fits");
    EXPECT_EQ(was.stored("/data/n1/results/stacks/s.fits"), "@out/stacks/s.fits");
    EXPECT_EQ(was.stored("/library/dark.fits"), "/library/dark.fits");
    EXPECT_EQ(was.stored("/data/n10/a.fits"), "/data/n10/a.fits") << "another folder's name";
    EXPECT_EQ(was.stored(""), "");
    const NightPlaces is{"/disk/moved", "/elsewhere/out", {}};
    EXPECT_EQ(is.resolved("@folder/lights/a.fits"), "/disk/moved/lights/a.fits");
    EXPECT_EQ(is.resolved("@out/stacks/s.fits"), "/elsewhere/out/stacks/s.fits");
    EXPECT_EQ(is.resolved("/library/dark.fits"), "/library/dark.fits");
}

TEST(NightPlacesTest, TheCommonFolderIsTheInnermost) {
    const auto common = [](std::vector<fs::path> list) { return commonFolder(list); };
    EXPECT_EQ(common({"/a/b/c", "/a/b/d"}), "/a/b");
    EXPECT_EQ(common({"/a/b/c", "/a/bb"}), "/a");
    EXPECT_EQ(common({"/a/b/", "/a/b"}), "/a/b");
    EXPECT_EQ(common({"/a/b/../c/d"}), "/a/c/d");
    EXPECT_EQ(common({"/a", "/b"}), "/");
    EXPECT_EQ(common({}), "");
}

TEST(NightPlacesTest, AFolderThatWentAlongIsFoundBesideTheNight) {
    const TemporaryFolder root;
    const fs::path first = root / "first";
    fs::create_directories(first / "lights");
    fs::create_directories(first / "out");
    std::ofstream(first / "lights" / "a.fits") << "x";
    const std::string remembered = rememberedFolder(first / "lights", first / "out");
    EXPECT_EQ(foundFolder(remembered, first / "out", "a.fits"), first / "lights");
    fs::rename(first, root / "second");
    EXPECT_EQ(foundFolder(remembered, root / "second" / "out", "a.fits"),
              root / "second" / "lights");
    // The results alone were moved: the frames are where they were.
    fs::rename(root / "second", first);
    fs::create_directories(root / "third");
    EXPECT_EQ(foundFolder(remembered, root / "third" / "out", "a.fits"), first / "lights");
    EXPECT_EQ(foundFolder("/plain/path", root / "third", ""), "/plain/path");
}

/// Truth: the Unicode standard, table 3-7: which byte sequences are UTF-8. What is none must come back all the same.
TEST(PathTextTest, EveryNameComesBackAndIsUtf8OnTheWay) {
    for (const std::string& name : {std::string("plain.fits"),
                                    std::string("K\xC3\xA4mp.fits"),
                                    std::string("\xF0\x9F\x8C\x9F"),
                                    std::string("bad\xFFname"),
                                    std::string("cut\xC3"),
                                    std::string("long form \xC0\xAF and \xE0\x80\xAF"),
                                    std::string("half a pair \xED\xA0\x80"),
                                    std::string("beyond \xF4\x90\x80\x80 and \xF8\x88\x80\x80\x80"),
                                    std::string("%raw:looks coded%41"),
                                    std::string()}) {
        const std::string text = pathText(name);
        EXPECT_EQ(pathFrom(text).native(), name);
        // This library refuses to write what is no UTF-8.
        EXPECT_NO_THROW(static_cast<void>(nlohmann::json(text).dump())) << text;
    }
}

} // namespace
} // namespace pathmark::night
