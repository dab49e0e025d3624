#include "tests/support/run_command.h"
#include "tests/support/small_night.h"
#include "tests/support/true_places.h"

#include <fmt/format.h>
#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <fstream>
#include <string>

// Bodies in a crowded field of which the catalogue lacks half of the bright stars. Truth: the places that the frames were made with.
namespace pathmark {
namespace {

using test_support::contentOf;

simulate::Scenario crowdedField() {
    simulate::Scenario s = test_support::smallScenario();
    s.extraOrbits = 5;
    s.fields.front().starsPerSquareDegree = 60000.0;
    s.series.pop_back();
    s.series.front().count = 8;
    simulate::BodyScenario body = s.bodies.front();
    s.bodies.clear();
    for (int i = 0; i < 6; ++i) {
        body.name = fmt::format("2034 EX{}", i + 1);
        body.packed = fmt::format("K34E0{}X", i + 1);
        s.bodies.push_back(body);
        body.meanAnomalyDegrees += 0.006;
    }
    return s;
}

/// The table without every other of its stars that are bright.
void thin(const std::filesystem::path& stars) {
    std::ifstream in(stars);
    std::string kept;
    std::string line;
    std::getline(in, line);
    const auto columns = test_support::cut(line, ',');
    const auto magnitude = std::ranges::find(columns, "phot_g_mean_mag") - columns.begin();
    kept = line + '\n';
    bool isLeftOut = false;
    while (std::getline(in, line)) {
        const auto cells = test_support::cut(line, ',');
        const bool isBright = std::stod(cells.at(static_cast<std::size_t>(magnitude))) < 17.0;
        isLeftOut = isBright && !isLeftOut;
        kept += isLeftOut ? "" : line + '\n';
    }
    in.close();
    std::ofstream(stars) << kept;
}

TEST(UncataloguedLightTest, WhatNoCatalogueHasIsFittedAlong) {
    const test_support::TemporaryFolder folder;
    const auto night = folder / "night";
    ASSERT_TRUE(simulate::simulateNight(crowdedField(), night, {}));
    thin(night / "catalog" / "stars.csv");
    ASSERT_TRUE(
        catalog::importTables({night / "catalog" / "stars.csv"}, night / "catalog", "small", {}));
    std::ofstream(night / "recipe.toml") << test_support::smallRecipe();
    const auto ended = test_support::runCommand(
        fmt::format("run '{0}' --recipe '{0}/recipe.toml' --out '{0}/out'", night.string()),
        folder);
    ASSERT_EQ(ended.status, 0) << ended.errors;
    const auto truth = nlohmann::json::parse(contentOf(night / "truth.json"));
    const test_support::TruePlaces places(truth);
    double squares = 0.0;
    int kept = 0;
    for (const auto& row :
         test_support::rowsOf(contentOf(night / "out" / "measurements.csv"), ',', "body")) {
        if (row.at("state") == "kept") {
            const auto [ra, dec] = places.errorsOff(row);
            EXPECT_LT(std::hypot(ra, dec), 5.0) << row.at("body") << ' ' << row.at("time_utc");
            squares += ra * ra + dec * dec;
            ++kept;
        }
    }
    EXPECT_GE(kept, 40) << "of 48; with their wings taken for sky a third are poor fits";
    EXPECT_LT(std::sqrt(squares / (2.0 * kept)), 1.2);
}

} // namespace
} // namespace pathmark
