#include "core/frame/fits_file.h"
#include "core/night/decisions.h"
#include "core/night/night_file.h"
#include "core/night/recipe.h"
#include "tests/support/temporary_folder.h"

#include <SQLiteCpp/SQLiteCpp.h>
#include <gtest/gtest.h>

#include <fstream>

namespace pathmark::night {
namespace {

using test_support::TemporaryFolder;

const std::string kGood =
    "[site]\ncode='XXX'\nlongitude_deg=23.4\nlatitude_deg=-31\n[catalog]\nstore='cat'\nname='n'\n";

Result<Recipe> recipeOf(const TemporaryFolder& folder, const std::string& text) {
    std::ofstream(folder / "r.toml") << text;
    return readRecipe(folder / "r.toml");
}

TEST(RecipeTest, PathsCountFromTheRecipesFolder) {
    const TemporaryFolder folder;
    const auto recipe =
        recipeOf(folder, kGood + "[orbits]\nfiles=['a.txt']\n[report]\nobserver='X. Y'\n");
    ASSERT_TRUE(recipe) << recipe.error().detail;
    EXPECT_EQ(recipe->catalogStore, folder / "cat");
    EXPECT_EQ(recipe->orbitFiles.front(), folder / "a.txt");
    EXPECT_EQ(recipe->head.submitter, "X. Y");
    EXPECT_FALSE(recipe->calibration.electronsPerAdu);
    EXPECT_TRUE(recipe->candidates.search);
}

TEST(RecipeTest, AnAltitudeThatIsTakenForGrantedIsSaid) {
    const TemporaryFolder folder;
    const auto without = recipeOf(folder, kGood);
    ASSERT_TRUE(without);
    ASSERT_EQ(without->notes.size(), 1U);
    EXPECT_NE(without->notes[0].find("altitude_m is not given"), std::string::npos);
    std::string with = kGood;
    with.insert(with.find("latitude_deg"), "altitude_m=1374\n");
    EXPECT_TRUE(recipeOf(folder, with)->notes.empty());
}

TEST(RecipeTest, ObservationsCodesAndRatesAreRead) {
    const TemporaryFolder folder;
    const auto recipe =
        recipeOf(folder,
                 kGood + "[orbits]\nobservations=['a.psv', 'b.txt']\nsite_codes=['c.txt']\n"
                         "[candidates]\nsearch=false\nfastest_arcsec_per_min=60\n");
    ASSERT_TRUE(recipe) << recipe.error().detail;
    EXPECT_EQ(recipe->observationFiles,
              (std::vector<std::filesystem::path>{folder / "a.psv", folder / "b.txt"}));
    EXPECT_EQ(recipe->siteCodeFiles.front(), folder / "c.txt");
    EXPECT_FALSE(recipe->candidates.search);
    EXPECT_EQ(recipe->candidates.fastestArcsecPerMin, 60.0);
}

struct BadRecipe {
    std::string text;
    std::string says;
};

class BadRecipeTest : public testing::TestWithParam<BadRecipe> {};

TEST_P(BadRecipeTest, SaysWhatIsWrong) {
    const TemporaryFolder folder;
    const auto recipe = recipeOf(folder, GetParam().text);
    ASSERT_FALSE(recipe);
    EXPECT_EQ(recipe.error().id, ErrorId::NightBadRecipe);
    EXPECT_NE(recipe.error().detail.find(GetParam().says), std::string::npos)
        << recipe.error().detail;
}

INSTANTIATE_TEST_SUITE_P(
    Recipes,
    BadRecipeTest,
    testing::Values(
        BadRecipe{kGood + "[camera]\ngian_e_per_adu=1\n", "did you mean 'gain_e_per_adu'"},
        BadRecipe{kGood + "[camra]\n", "did you mean [camera]"},
        BadRecipe{kGood + "[stack]\ngroups='many'\n", "[stack] groups"},
        BadRecipe{kGood + "[candidates]\nserch=true\n", "did you mean 'search'"},
        BadRecipe{kGood + "[candidates]\nslowest_arcsec_per_min=9\n", "below"},
        BadRecipe{kGood + "[candidates]\nslowest_arcsec_per_min=0\n", "above 0"},
        BadRecipe{kGood + "[review]\nsnr=2\n", "snr"},
        BadRecipe{kGood + "[review]\nbrighter=2\n", "brighter_mag"},
        BadRecipe{kGood + "[report]\nformats=['pdf']\n", "not 'pdf'"},
        BadRecipe{kGood + "[report]\nformats=[]\n", "one of them at least"},
        BadRecipe{kGood + "[report]\ndetector='XYZ'\n", "one of CCD, CMO"},
        BadRecipe{kGood + "[report]\naperture_m=-1\n", "from 0.001 to 100"},
        BadRecipe{kGood + "[report]\nobserver=\"A\\nB\"\n", "text of one line"},
        BadRecipe{kGood + "[camera]\ngain_e_per_adu=-1\n", "above 0"},
        BadRecipe{kGood + "[camera]\ngain_e_per_adu=nan\n", "must be a number"},
        BadRecipe{kGood + "[bodies]\ncomet_centroid='middle'\n",
                  "comet_centroid knows coma, peak, symmetry and isophote, not 'middle'"},
        BadRecipe{kGood + "[bodies]\napertures_arcsec=10\n",
                  "[bodies] apertures_arcsec (line 9) must be a list of numbers from 0.1"},
        BadRecipe{kGood + "[bodies]\napertures_arcsec=[10, -1]\n", "must be a list of numbers"},
        BadRecipe{kGood + "[camera]\ngain_e_per_adu='2'\n",
                  "[camera] gain_e_per_adu (line 9) must be a number, without quotes"},
        BadRecipe{kGood + "[calibration]\nwithout_flats='level'\nlevel_e=0\n", "above 0"},
        BadRecipe{kGood + "[stack]\ngroups=1.5\n", "a whole number from 0"},
        BadRecipe{kGood + "[stack]\ngroups=1000000000000\n", "a whole number from 0"},
        BadRecipe{kGood + "[calibration]\nvariance='yes'\n", "true or false"},
        BadRecipe{kGood + "[bodies]\nnames='all'\n", "\"in reach\" alone"},
        BadRecipe{"[site]\ncode='Z999'\nlongitude_deg=1\nlatitude_deg=2\n",
                  "three letters and digits"},
        BadRecipe{"[site]\ncode=''\nlongitude_deg=1\nlatitude_deg=2\n", "three letters and digits"},
        BadRecipe{"[site]\nlongitude_deg=1\nlatitude_deg=nan\n", "must be a number"},
        BadRecipe{"[site]\nlongitude_deg=1\nlatitude_deg=91\n", "from -90 to 90"},
        BadRecipe{"[catalog]\nstore='a'\nname='b'\n", "longitude_deg"},
        BadRecipe{"[site]\nlongitude_deg=1\nlatitude_deg=2\n", "[catalog]"},
        BadRecipe{"[site\n", "Line 1 is no TOML"}));

MeasurementRecord measurement() {
    MeasurementRecord m;
    m.id = "abc";
    m.body = BodyId::of("2034 EQ7");
    m.seen = true;
    m.sky = skyDegrees(177.123456789, -2.5);
    m.time = Utc::julian(2464039.0, 0.123456789012);
    m.magnitude = 19.5;
    return m;
}

Act dropped() {
    return {"dropped", {JudgeMeasurement{"abc", MeasurementState::Dropped, "a star"}}};
}

TEST(NightFileTest, DecisionsOutliveNewMeasurementsAndTheProgram) {
    const TemporaryFolder folder;
    {
        auto file = NightFile::open(folder / "n.pmnight");
        ASSERT_TRUE(file);
        ASSERT_TRUE(file->replaceMeasurements(std::vector{measurement()}));
        ASSERT_TRUE(file->decide(dropped()));
        ASSERT_TRUE(file->replaceMeasurements(std::vector{measurement()}));
    }
    auto file = NightFile::open(folder / "n.pmnight");
    auto all = file->measurements();
    ASSERT_TRUE(all);
    ASSERT_EQ(all->size(), 1U);
    EXPECT_EQ((*all)[0].state, MeasurementState::Dropped);
    EXPECT_EQ((*all)[0].reason, "a star");
    EXPECT_EQ((*all)[0].sky.longitude.radians(), measurement().sky.longitude.radians());
    EXPECT_EQ((*all)[0].time.fraction(), measurement().time.fraction());
    // Taken back after the restart, it is what the run made of it; made again, it is dropped.
    ASSERT_EQ(file->undo().value().size(), 1U);
    EXPECT_EQ(file->measurements().value()[0].state, MeasurementState::Kept);
    ASSERT_EQ(file->redo().value().size(), 1U);
    EXPECT_EQ(file->measurements().value()[0].state, MeasurementState::Dropped);
    EXPECT_TRUE(file->redo().value().empty());
}

/// A new decision takes the place of those that were undone.
TEST(NightFileTest, ANewDecisionEndsWhatCouldBeRedone) {
    const TemporaryFolder folder;
    auto file = NightFile::open(folder / "n.pmnight");
    ASSERT_TRUE(file->decide({"one", {LeaveOut{FrameId("a"), true, {}}}}));
    ASSERT_TRUE(file->decide({"two", {LeaveOut{FrameId("b"), true, {}}}}));
    ASSERT_EQ(file->undo(2).value().size(), 2U);
    EXPECT_TRUE(file->decided().value().leftOut.empty());
    ASSERT_TRUE(file->decide({"three", {LeaveOut{FrameId("c"), true, "fog"}}}));
    EXPECT_TRUE(file->redo().value().empty());
    const auto decided = file->decided().value();
    ASSERT_EQ(decided.leftOut.size(), 1U);
    EXPECT_EQ(decided.leftOut.at(FrameId("c")), "fog");
    ASSERT_EQ(file->history().value().size(), 1U);
    EXPECT_EQ(file->history().value()[0].act.words, "three");
}

Product productAt(const std::filesystem::path& path) {
    Product product;
    product.key = "key";
    product.kind = ProductKind::Calibrated;
    product.path = path;
    product.info = "{}";
    return product;
}

TEST(NightFileTest, AProductWithoutItsFileIsNotDone) {
    const TemporaryFolder folder;
    auto file = NightFile::open(folder / "n.pmnight");
    frame::Header header;
    header.set("PMKEY", std::string("key"));
    ASSERT_TRUE(frame::writeFits(folder / "a.fits", frame::Image(2, 2), header));
    ASSERT_TRUE(file->putProducts(std::vector{productAt(folder / "a.fits")}));
    EXPECT_TRUE(file->product("key"));
    EXPECT_FALSE(file->product("other"));
    // The same name with other content is another product.
    header.set("PMKEY", std::string("later"));
    ASSERT_TRUE(frame::writeFits(folder / "a.fits", frame::Image(2, 2), header));
    EXPECT_FALSE(file->product("key"));
    std::filesystem::remove(folder / "a.fits");
    EXPECT_FALSE(file->product("key"));
}

TEST(NightFileTest, AFileIsKnownByItsContent) {
    const TemporaryFolder folder;
    auto file = NightFile::open(folder / "n.pmnight");
    std::ofstream(folder / "a") << "one";
    std::ofstream(folder / "b") << "one";
    const auto first = file->frameId(folder / "a");
    ASSERT_TRUE(first);
    EXPECT_EQ(*file->frameId(folder / "a"), *first);
    EXPECT_EQ(*file->frameId(folder / "b"), *first) << "whatever it is called";
    std::ofstream(folder / "a") << "other";
    EXPECT_FALSE(file->knownFrameIds(std::vector{folder / "a"})[0].isKnown());
    EXPECT_NE(*file->frameId(folder / "a"), *first);
    EXPECT_EQ(file->frameId(folder / "none").error().id, ErrorId::FrameNotReadable);
}

TEST(NightFileTest, OtherFilesAreRefused) {
    const TemporaryFolder folder;
    std::ofstream(folder / "n.pmnight") << std::string(5000, 'x');
    EXPECT_EQ(NightFile::open(folder / "n.pmnight").error().id, ErrorId::NightFileDamaged);
    EXPECT_EQ(NightFile::open(folder / "missing").value().frames().value().size(), 0U);
    EXPECT_EQ(NightFile::open(folder.path() / "no" / "n.pmnight").error().id,
              ErrorId::NightCannotStore);
}

/// Truth: the very bytes that a dying disk leaves: zeros, or noise, from the second page on.
TEST(NightFileTest, ADamagedNightFileIsSaidToBeOne) {
    for (const bool zeros : {true, false}) {
        const TemporaryFolder folder;
        {
            auto file = NightFile::open(folder / "n.pmnight");
            ASSERT_TRUE(
                file->replaceMeasurements(std::vector<MeasurementRecord>(200, measurement())));
        }
        const auto size = std::filesystem::file_size(folder / "n.pmnight");
        ASSERT_GT(size, 8192U);
        std::fstream bytes(folder / "n.pmnight", std::ios::in | std::ios::out | std::ios::binary);
        bytes.seekp(4096);
        for (std::uintmax_t i = 4096; i < size; ++i) {
            bytes.put(zeros ? '\0' : static_cast<char>((i * 2654435761U) >> 7U));
        }
        bytes.close();
        const auto file = NightFile::open(folder / "n.pmnight");
        ASSERT_FALSE(file);
        EXPECT_EQ(file.error().id, ErrorId::NightFileDamaged);
    }
}

/// A record that is damaged inside a sound database is no error of the program.
TEST(NightFileTest, ADamagedRecordIsSaidToBeOne) {
    const TemporaryFolder folder;
    {
        auto file = NightFile::open(folder / "n.pmnight");
        ASSERT_TRUE(file->replaceMeasurements(std::vector{measurement()}));
    }
    {
        SQLite::Database db((folder / "n.pmnight").string(), SQLite::OPEN_READWRITE);
        db.exec("UPDATE measurement SET info = '{\"state\": \"kep'");
    }
    const auto file = NightFile::open(folder / "n.pmnight");
    ASSERT_TRUE(file);
    EXPECT_EQ(file->measurements().error().id, ErrorId::NightFileDamaged);
}

TEST(NightFileTest, APathThatIsNoUtf8ComesBack) {
    const TemporaryFolder folder;
    auto file = NightFile::open(folder / "n.pmnight");
    frame::FrameInfo info;
    info.id = FrameId("1");
    info.path = folder.path() / "caf\xe9_100%.fits";
    ASSERT_TRUE(file->replaceFrames(std::vector{info}, {}));
    EXPECT_EQ(file->frames().value()[0].path, info.path);
}

/// A night that is moved finds its frames and results; one whose results alone were moved finds its frames where they are.
TEST(NightFileTest, PathsFollowTheNight) {
    const TemporaryFolder folder;
    const auto old = folder / "old";
    std::filesystem::create_directories(old / "results");
    std::ofstream(old / "a.fits") << "a";
    frame::FrameInfo info;
    info.id = FrameId("1");
    info.path = old / "a.fits";
    {
        auto file = NightFile::open(old / "results" / "n.pmnight");
        ASSERT_TRUE(file->setPlaces({old, old / "results"}, old / "recipe.toml"));
        ASSERT_TRUE(file->replaceFrames(std::vector{info}, {}));
    }
    std::filesystem::copy(old / "results", folder / "elsewhere");
    std::filesystem::rename(old, folder / "new");
    const auto moved = NightFile::open(folder / "new" / "results" / "n.pmnight");
    ASSERT_TRUE(moved);
    EXPECT_EQ(moved->frames().value()[0].path, folder / "new" / "a.fits");
    EXPECT_EQ(moved->places().out, folder / "new" / "results");
    EXPECT_EQ(moved->recipe(), folder / "new" / "recipe.toml");
    std::filesystem::rename(folder / "new", old);
    const auto copied = NightFile::open(folder / "elsewhere" / "n.pmnight");
    EXPECT_EQ(copied->frames().value()[0].path, old / "a.fits");
    EXPECT_EQ(copied->places().out, folder / "elsewhere");
}

} // namespace
} // namespace pathmark::night
