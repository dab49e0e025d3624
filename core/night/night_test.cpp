#include "core/frame/fits_file.h"
#include "core/night/decisions.h"
#include "core/night/night_file.h"
#include "core/night/recipe.h"
#include "tests/support/temporary_folder.h"

#include <gtest/gtest.h>
#include <nlohmann/json.hpp>

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
    testing::Values(BadRecipe{kGood + "[camera]\ngian_e_per_adu=1\n",
                              "did you mean 'gain_e_per_adu'"},
                    BadRecipe{kGood + "[camra]\n", "did you mean [camera]"},
                    BadRecipe{kGood + "[stack]\ngroups='many'\n", "Cannot be read"},
                    BadRecipe{kGood + "[candidates]\nserch=true\n", "did you mean 'search'"},
                    BadRecipe{kGood + "[candidates]\nslowest_arcsec_per_min=9\n", "below"},
                    BadRecipe{kGood + "[candidates]\nslowest_arcsec_per_min=0\n", "above 0"},
                    BadRecipe{kGood + "[report]\nformats=['pdf']\n", "not 'pdf'"},
                    BadRecipe{"[catalog]\nstore='a'\nname='b'\n", "longitude_deg"},
                    BadRecipe{"[site]\nlongitude_deg=1\nlatitude_deg=2\n", "[catalog]"},
                    BadRecipe{"[site\n", "Cannot be read"}));

MeasurementRecord measurement() {
    MeasurementRecord m;
    m.id = "abc";
    m.body = "2034 EQ7";
    m.seen = true;
    m.sky = skyDegrees(177.123456789, -2.5);
    m.time = Utc::julian(2464039.0, 0.123456789012);
    m.magnitude = 19.5;
    return m;
}

TEST(NightFileTest, DecisionsOutliveNewMeasurementsAndTheProgram) {
    const TemporaryFolder folder;
    {
        auto file = NightFile::open(folder / "n.pmnight");
        ASSERT_TRUE(file);
        ASSERT_TRUE(file->replaceMeasurements(std::vector{measurement()}));
        ASSERT_TRUE(file->decide("abc", MeasurementState::Dropped, "a star"));
        ASSERT_TRUE(file->replaceMeasurements(std::vector{measurement()}));
    }
    const auto file = NightFile::open(folder / "n.pmnight");
    const auto all = file->measurements();
    ASSERT_EQ(all.size(), 1U);
    EXPECT_EQ(all[0].state, MeasurementState::Dropped);
    EXPECT_EQ(all[0].reason, "a star");
    EXPECT_EQ(all[0].sky.longitude.radians(), measurement().sky.longitude.radians());
    EXPECT_EQ(all[0].time.fraction(), measurement().time.fraction());
}

TEST(NightFileTest, AProductWithoutItsFileIsNotDone) {
    const TemporaryFolder folder;
    auto file = NightFile::open(folder / "n.pmnight");
    frame::Header header;
    header.set("PMKEY", std::string("key"));
    ASSERT_TRUE(frame::writeFits(folder / "a.fits", frame::Image(2, 2), header));
    ASSERT_TRUE(file->putProduct({"key", "light", folder / "a.fits", "{}"}));
    EXPECT_TRUE(file->product("key"));
    EXPECT_FALSE(file->product("other"));
    // The same name with other content is another product.
    header.set("PMKEY", std::string("later"));
    ASSERT_TRUE(frame::writeFits(folder / "a.fits", frame::Image(2, 2), header));
    EXPECT_FALSE(file->product("key"));
    std::filesystem::remove(folder / "a.fits");
    EXPECT_FALSE(file->product("key"));
}

TEST(NightFileTest, AFilesDigestFollowsItsContent) {
    const TemporaryFolder folder;
    auto file = NightFile::open(folder / "n.pmnight");
    std::ofstream(folder / "a") << "one";
    const auto first = file->fileDigest(folder / "a");
    EXPECT_EQ(*file->fileDigest(folder / "a"), *first);
    std::ofstream(folder / "a") << "other";
    EXPECT_NE(*file->fileDigest(folder / "a"), *first);
}

TEST(NightFileTest, OtherFilesAreRefused) {
    const TemporaryFolder folder;
    std::ofstream(folder / "n.pmnight") << std::string(5000, 'x');
    EXPECT_EQ(NightFile::open(folder / "n.pmnight").error().id, ErrorId::NightFileDamaged);
    EXPECT_EQ(NightFile::open(folder / "missing").value().frames().size(), 0U);
    EXPECT_EQ(NightFile::open(folder.path() / "no" / "n.pmnight").error().id,
              ErrorId::NightCannotStore);
}

TEST(RecordsTest, ALightComesBackWhole) {
    LightRecord light;
    light.raw = "/n/a.fits";
    light.middle = Utc::julian(2464039.0, 0.3);
    light.shape = {0.3, 0.01, 0.31, 3.2};
    light.wcs.emplace();
    light.wcs->a = frame::SipPolynomial(3);
    light.wcs->a.setCoefficient(1, 2, 1.5e-9);
    light.wcs->cd = {-1e-6, 1e-8, 2e-8, 1e-6};
    light.photometry.emplace();
    light.photometry->band = catalog::Band::R;
    light.photometry->zeroPoint = 22.5;
    // A plane whose slope is uncertain: the error grows away from the middle.
    light.solutionErrorPixels = 0.02;
    light.solutionError = {
        1, 500.0, {500.0, 400.0}, {1e-4, 0.0, 0.0, 0.0, 4e-4, 0.0, 0.0, 0.0, 4e-4}, {}};
    light.attempt = solve::SolveAttempt{};
    light.attempt->sources = 17;
    light.attempt->centre = skyDegrees(10.0, -20.0);
    light.attempt->bestChanceLog10 = -2.5;
    light.foundBy = "hand";
    const LightRecord back = lightFromJson(nlohmann::json::parse(toJson(light).dump()));
    EXPECT_EQ(back.wcs->a.coefficient(1, 2), 1.5e-9);
    EXPECT_EQ(back.wcs->cd, light.wcs->cd);
    EXPECT_EQ(back.photometry->band, catalog::Band::R);
    EXPECT_EQ(back.shape.beta, 3.2);
    EXPECT_NEAR(back.solutionErrorAt({500.0, 400.0}), 0.01, 1e-12);
    EXPECT_NEAR(back.solutionErrorAt({1000.0, 400.0}), std::sqrt(5e-4), 1e-12);
    EXPECT_EQ(LightRecord{}.solutionErrorAt({1.0, 1.0}), 0.0);
    EXPECT_EQ(back.attempt->sources, 17);
    EXPECT_EQ(back.attempt->bestChanceLog10, -2.5);
    EXPECT_EQ(back.foundBy, "hand");
    EXPECT_EQ(toJson(back).dump(), toJson(light).dump());
}

TEST(DecisionsTest, HandSolutionsAreKeptReplacedAndTakenBack) {
    const TemporaryFolder folder;
    auto file = NightFile::open(folder / "n.pmnight");
    ASSERT_TRUE(file);
    HandSolution hand{"/n/a.fits", {}, {"/n/b.fits"}};
    hand.wcs.cd = {-1e-6, 1e-8, 2e-8, 1e-6};
    ASSERT_TRUE(decideHandSolution(*file, hand.frame, hand));
    hand.wcs.cd[0] = -2e-6;
    ASSERT_TRUE(decideHandSolution(*file, hand.frame, hand));
    const HandSolution other{"/n/c.fits", {}, {}};
    ASSERT_TRUE(decideHandSolution(*file, other.frame, other));
    const auto all = handSolutions(*file);
    ASSERT_EQ(all.size(), 2U);
    EXPECT_EQ(all[0].wcs.cd, hand.wcs.cd);
    EXPECT_TRUE(all[0].isOfferedTo("/n/b.fits"));
    EXPECT_FALSE(all[0].isOfferedTo("/n/a.fits"));
    ASSERT_TRUE(decideHandSolution(*file, hand.frame, std::nullopt));
    ASSERT_EQ(handSolutions(*file).size(), 1U);
    EXPECT_EQ(handSolutions(*file).front().frame, other.frame);
}

} // namespace
} // namespace pathmark::night
