#include "tests/support/report_files.h"
#include "tests/support/tiny_night_test.h"

#include <fmt/format.h>
#include <gtest/gtest.h>
#include <nlohmann/json.hpp>

// What the command line says of the quality of lights, and how lights are left out by a rule given there.
namespace pathmark {
namespace {

using nlohmann::json;
using test_support::Ended;

class QualityCommandTest : public test_support::TinyNightTest {
  protected:
    [[nodiscard]] Ended command(const std::string& words) const {
        return test_support::runCommand(words, own_);
    }

    [[nodiscard]] Ended runExcluding(const std::string& rule) const {
        return command(fmt::format("run '{0}' --recipe '{0}/recipe.toml' --out '{1}' --json {2}",
                                   night().string(),
                                   (own_ / "out").string(),
                                   rule.empty() ? "" : "--exclude '" + rule + "'"));
    }
};

/// Truth: the night was made with stars of one width and one sky for all four lights.
TEST_F(QualityCommandTest, GatherLooksAtEachLightAndAtNothingElse) {
    const Ended ended = command("gather '" + night().string() + "' --quality --json");
    ASSERT_EQ(ended.status, 0) << ended.errors;
    int lights = 0;
    double least = 1e9;
    double most = 0.0;
    const json told = json::parse(ended.output);
    for (const auto& group : told.at("groups")) {
        for (const auto& frame : group.at("frames")) {
            ASSERT_EQ(frame.contains("quality"), group.at("kind") == "light");
            if (group.at("kind") == "light") {
                const double fwhm = frame.at("quality").at("fwhm_px").get<double>();
                least = std::min(least, fwhm);
                most = std::max(most, fwhm);
                EXPECT_GT(frame.at("quality").at("stars").get<int>(), 20);
                EXPECT_EQ(frame.at("quality").at("problem"), "");
                ++lights;
            }
        }
    }
    EXPECT_EQ(lights, 4);
    EXPECT_GT(least, 1.0);
    EXPECT_LT(most / least, 1.3);
}

TEST_F(QualityCommandTest, ALightThatCannotBeReadIsSaidAndTheOthersAreLookedAt) {
    const auto broken = light("east_001");
    std::filesystem::resize_file(broken, std::filesystem::file_size(broken) / 2);
    const Ended ended = command("gather '" + night().string() + "' --quality --json");
    EXPECT_EQ(ended.status, 1);
    EXPECT_NE(ended.output.find("east_001"), std::string::npos);
    EXPECT_NE(ended.output.find("fwhm_px"), std::string::npos);
}

TEST_F(QualityCommandTest, ARuleLeavesLightsOutOfThisRun) {
    const Ended all = runExcluding("");
    ASSERT_EQ(all.status, 0) << all.errors;
    ASSERT_GT(json::parse(all.output).at("measurements").get<int>(), 0);
    const Ended none = runExcluding("stars below 100000");
    EXPECT_EQ(json::parse(none.output).at("measurements").get<int>(), 0) << none.output;
    const Ended again = runExcluding("");
    EXPECT_EQ(json::parse(again.output).at("measurements"),
              json::parse(all.output).at("measurements"));
}

TEST_F(QualityCommandTest, WhatIsNoRuleAndNoCentreIsWrongUse) {
    EXPECT_EQ(runExcluding("fwhm over 2").status, 2);
    const std::string measure =
        fmt::format("measure '{}' --at 177.24 2.33 --json ", light("east_001").string());
    EXPECT_EQ(command(measure + "--centroid peak").status, 2) << "no comet is measured";
    EXPECT_EQ(command(measure + "--comet --centroid middle").status, 2);
}

} // namespace
} // namespace pathmark
