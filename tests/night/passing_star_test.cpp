#include "tests/support/run_command.h"
#include "tests/support/small_night.h"
#include "tests/support/table_rows.h"
#include "tests/support/true_places.h"

#include <fmt/format.h>
#include <gtest/gtest.h>
#include <nlohmann/json.hpp>

#include <cmath>
#include <fstream>
#include <string>
#include <vector>

// Bodies that cross a crowded field, on stacks of three frames: a star that one of them shows is a third of what the stack has there, and
// no rule tells three values apart. Truth: the places that the frames were made with.
namespace pathmark {
namespace {

using nlohmann::json;
using test_support::contentOf;
using test_support::TemporaryFolder;

/// Eight bodies of one fast orbit, one behind the other, in four times three frames.
simulate::Scenario crossedField() {
    simulate::Scenario s = test_support::smallScenario();
    s.extraOrbits = 5;
    s.fields.front().starsPerSquareDegree = 40000.0;
    s.series.pop_back();
    s.series.front().count = 12;
    simulate::BodyScenario body = s.bodies.back();
    body.known = true;
    body.h = 19.0;
    s.bodies.clear();
    for (int i = 0; i < 8; ++i) {
        body.name = fmt::format("2034 EX{}", i + 1);
        body.packed = fmt::format("K34E0{}X", i + 1);
        s.bodies.push_back(body);
        body.meanAnomalyDegrees += 0.0015;
    }
    return s;
}

class PassingStarTest : public testing::Test {
  protected:
    /// The rows of a run that adds three frames each.
    std::vector<test_support::Row> measured(const simulate::Scenario& scenario) {
        test_support::makeNight(night_, scenario);
        std::string recipe = contentOf(night_ / "recipe.toml");
        recipe.replace(recipe.find("faint_groups = 1"), 16, "groups = 4");
        std::ofstream(night_ / "recipe.toml") << recipe;
        const auto ended = test_support::runCommand(
            fmt::format("run '{0}' --recipe '{0}/recipe.toml' --out '{1}' --json",
                        night_.string(),
                        out_.string()),
            folder_);
        EXPECT_EQ(ended.status, 0) << ended.errors;
        return test_support::rowsOf(contentOf(out_ / "measurements.csv"), ',', "body");
    }

    static bool isPassed(const test_support::Row& row) {
        return row.at("reason").find("a star passes") != std::string::npos;
    }

    TemporaryFolder folder_;
    std::filesystem::path night_ = folder_ / "night";
    std::filesystem::path out_ = folder_ / "out";
};

TEST_F(PassingStarTest, StacksOfThreeFramesAreRightWithinTheirErrors) {
    const auto rows = measured(crossedField());
    const json truth = json::parse(contentOf(night_ / "truth.json"));
    const test_support::TruePlaces places(truth);
    double squares = 0.0;
    int kept = 0;
    int shortened = 0;
    int parked = 0;
    for (const auto& row : rows) {
        if (row.at("state") != "kept") {
            parked += isPassed(row) ? 1 : 0;
            continue;
        }
        shortened += row.at("frames") == "2" ? 1 : 0;
        const auto [ra, dec] = places.errorsOff(row);
        EXPECT_LT(std::hypot(ra, dec), 4.0) << row.at("body") << ' ' << row.at("time_utc");
        squares += ra * ra + dec * dec;
        ++kept;
    }
    EXPECT_GE(kept, 18); // of 32
    EXPECT_GE(shortened, 8);
    EXPECT_GE(parked, 4);
    EXPECT_LT(std::sqrt(squares / (2.0 * kept)), 1.45);
}

} // namespace
} // namespace pathmark
