#include "core/night/quality.h"

#include "core/night/recipe.h"
#include "tests/support/temporary_folder.h"

#include <gtest/gtest.h>

#include <cmath>
#include <fstream>

namespace pathmark::night {
namespace {

LightRecord lightOf(const std::string& series, double fwhm, int sources, double zeroPoint) {
    LightRecord light;
    light.series = SeriesId(series);
    light.fwhmPixels = fwhm;
    light.sources = sources;
    light.noiseElectrons = 5.0;
    light.skyElectrons = 100.0;
    if (zeroPoint > 0.0) {
        light.photometry.emplace();
        light.photometry->zeroPoint = zeroPoint;
    }
    return light;
}

/// Truth: medians by hand, each series for itself: 3 px and 5 px.
TEST(ExclusionRuleTest, EachSeriesHasItsOwnMedian) {
    const std::vector<LightRecord> lights{lightOf("a", 3.0, 90, 22.0),
                                          lightOf("a", 2.9, 90, 22.0),
                                          lightOf("a", 4.5, 90, 22.0),
                                          lightOf("b", 5.0, 90, 22.0),
                                          lightOf("b", 5.2, 90, 22.0),
                                          lightOf("b", 4.8, 90, 22.0)};
    EXPECT_EQ(fallsOut(lights, {Quality::Fwhm, true, 1.4, true}),
              (std::vector<bool>{false, false, true, false, false, false}));
    EXPECT_EQ(fallsOut(lights, {Quality::Fwhm, true, 4.9, false}),
              (std::vector<bool>{false, false, false, true, true, false}));
    EXPECT_EQ(words(ExclusionRule{Quality::Fwhm, true, 1.4, true}), "FWHM above 1.4 x median");
    EXPECT_EQ(words(ExclusionRule{Quality::Stars, false, 50.0, false}), "stars below 50");
}

/// Truth: 2.5 log of the flux: a magnitude of cloud leaves 0.398.
TEST(ExclusionRuleTest, CloudIsTransparencyAndTheUnknownStays) {
    const std::vector<LightRecord> lights{
        lightOf("a", 3.0, 90, 22.0), lightOf("a", 3.0, 40, 21.0), lightOf("a", 0.0, 0, 0.0)};
    const auto values = qualitiesOf(lights, Quality::Transparency);
    EXPECT_NEAR(values[0], 1.0, 1e-12);
    EXPECT_NEAR(values[1], 0.398107, 1e-6);
    EXPECT_TRUE(std::isnan(values[2]));
    EXPECT_EQ(fallsOut(lights, {Quality::Transparency, false, 0.7, false}),
              (std::vector<bool>{false, true, false}));
    EXPECT_EQ(fallsOut(lights, {Quality::Fwhm, true, 0.5, false}),
              (std::vector<bool>{true, true, false}));
}

constexpr const char* kHead =
    "[site]\nlongitude_deg=1.0\nlatitude_deg=2.0\n[catalog]\nstore='c'\nname='n'\n";

Result<Recipe> recipeWith(const test_support::TemporaryFolder& folder, const std::string& text) {
    std::ofstream(folder / "r.toml") << kHead << text;
    return readRecipe(folder / "r.toml");
}

TEST(RecipeTest, CalibrationKindsAndRulesAreRead) {
    const test_support::TemporaryFolder folder;
    const auto recipe = recipeWith(folder, R"(
        [calibration]
        combination = "winsorised-clip"
        library = "masters"
        without_flats = "sky"
        colour = "green"
        gradient = 2
        gradient_per = "series"
        variance = true
        particle_hits = false
        [kinds]
        flat = ["dusk/"]
        [[exclude]]
        quality = "fwhm"
        above = 1.4
        of = "median"
        [[exclude]]
        quality = "stars"
        below = 30
    )");
    ASSERT_TRUE(recipe) << recipe.error().detail;
    const auto& c = recipe->calibration;
    EXPECT_EQ(c.combination, combine::Combination::WinsorisedClip);
    EXPECT_EQ(c.library, folder / "masters");
    EXPECT_EQ(c.withoutFlats, WithoutFlats::Sky);
    EXPECT_EQ(c.colour, calibrate::Colour::Green);
    EXPECT_TRUE(c.gradient.removed && c.gradient.perSeries);
    EXPECT_EQ(c.gradient.degree, 2);
    EXPECT_TRUE(c.writesVariance);
    EXPECT_FALSE(c.masksHits);
    ASSERT_EQ(recipe->rules.kinds.size(), 1U);
    EXPECT_EQ(recipe->rules.kinds.front().second, frame::FrameKind::Flat);
    ASSERT_EQ(recipe->exclusions.size(), 2U);
    EXPECT_TRUE(recipe->exclusions[0].timesMedian);
    EXPECT_FALSE(recipe->exclusions[1].above);
}

TEST(RecipeTest, WrongCalibrationWordsNameTheRightOnes) {
    const test_support::TemporaryFolder folder;
    const auto why = [&](const std::string& text) {
        const auto recipe = recipeWith(folder, text);
        return recipe ? std::string() : recipe.error().detail;
    };
    EXPECT_NE(why("[calibration]\ncombination='avg'\n").find("sigma-clip"), std::string::npos);
    EXPECT_NE(why("[calibration]\nwithout_flats='guess'\n").find("leave, sky and level"),
              std::string::npos);
    EXPECT_NE(why("[calibration]\ngradient=7\n").find("1 to 4"), std::string::npos);
    EXPECT_NE(why("[calibration]\ncolor='sum'\n").find("did you mean 'colour'"), std::string::npos);
    EXPECT_NE(why("[[exclude]]\nquality='fwhm'\n").find("one of above and below"),
              std::string::npos);
    EXPECT_NE(why("[[exclude]]\nquality='fwhm'\nabov=2.0\n").find("did you mean 'above'"),
              std::string::npos);
}

TEST(RecipeTest, ASiteAndItsObserversAreEnteredOnce) {
    const test_support::TemporaryFolder folder;
    std::ofstream(folder / "e.toml")
        << "[[site]]\nname='Karrow'\ncode='XXX'\nlongitude_deg=24.5\nlatitude_deg=-27.0\n"
           "altitude_m=1180\n[observer]\nobservers=['A. Nother']\ntelescope='Reflector'\n";
    std::ofstream(folder / "r.toml") << "[site]\nname='Karrow'\n[catalog]\nstore='c'\nname='n'\n"
                                        "[equipment]\nfile='e.toml'\n";
    const auto recipe = readRecipe(folder / "r.toml");
    ASSERT_TRUE(recipe) << recipe.error().detail;
    EXPECT_NEAR(recipe->site.longitude.degrees(), 24.5, 1e-12);
    EXPECT_EQ(recipe->site.code, "XXX");
    EXPECT_EQ(recipe->site.altitudeMetres, 1180.0);
    EXPECT_EQ(recipe->head.observers.front(), "A. Nother");
    EXPECT_EQ(recipe->head.telescopeDesign, "Reflector");
}

} // namespace
} // namespace pathmark::night
