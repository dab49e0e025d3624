#include "simulate/scenario.h"

#include "tests/support/temporary_folder.h"

#include <gtest/gtest.h>

#include <fstream>

namespace pathmark::simulate {
namespace {

constexpr const char* kWhole = R"(
seed = 77
faintest_mag = 18.5
extra_orbits = 12
[site]
code = "XXX"
name = "Tern Ridge"
longitude_deg = 23.5
latitude_deg = -31.25
altitude_m = 1374
[[field]]
ra_deg = 359.9
dec_deg = -5
[[camera]]
name = "one"
width = 640
height = 512
gain_e_per_adu = 0.8
bayer = "RGGB"
[[camera]]
name = "two"
width = 100
height = 80
[[series]]
name = "a"
camera = "two"
count = 7
start = "2034-03-17T22:20:00"
mirrored = true
[[body]]
name = "C/2034 A1"
q_au = 1.5
e = 0.9
m1 = 8.5
known = false
)";

class ScenarioTest : public testing::Test {
  protected:
    [[nodiscard]] Result<Scenario> read(const std::string& text) const {
        std::ofstream(folder_ / "scenario.toml") << text;
        return readScenario(folder_ / "scenario.toml");
    }

    /// What is said of the whole scenario with one piece of it replaced.
    [[nodiscard]] std::string whyNot(const std::string& from, const std::string& to) const {
        std::string text = kWhole;
        const auto at = text.find(from);
        EXPECT_NE(at, std::string::npos) << from;
        text.replace(at, from.size(), to);
        const auto scenario = read(text);
        EXPECT_FALSE(scenario) << to;
        return scenario ? std::string() : scenario.error().detail;
    }

    test_support::TemporaryFolder folder_;
};

TEST_F(ScenarioTest, WhatIsSaidIsTakenAndTheRestHasItsDefaults) {
    const auto scenario = read(kWhole);
    ASSERT_TRUE(scenario) << scenario.error().detail;
    EXPECT_EQ(scenario->seed, 77U);
    EXPECT_DOUBLE_EQ(scenario->faintestMag, 18.5);
    EXPECT_DOUBLE_EQ(scenario->brightestMag, Scenario{}.brightestMag);
    EXPECT_EQ(scenario->extraOrbits, 12);
    EXPECT_DOUBLE_EQ(scenario->site.altitudeMetres, 1374.0) << "a whole number is a number";
    ASSERT_EQ(scenario->fields.size(), 1U);
    ASSERT_EQ(scenario->cameras.size(), 2U);
    EXPECT_EQ(scenario->cameras[0].bayer, "RGGB");
    EXPECT_TRUE(scenario->cameras[1].bayer.empty());
    ASSERT_EQ(scenario->series.size(), 1U);
    EXPECT_EQ(scenario->series[0].count, 7);
    EXPECT_TRUE(scenario->series[0].mirrored);
    EXPECT_EQ(toIso(scenario->series[0].start, 0), "2034-03-17T22:20:00Z");
    ASSERT_EQ(scenario->bodies.size(), 1U);
    EXPECT_DOUBLE_EQ(scenario->bodies[0].m1.value_or(0.0), 8.5);
    EXPECT_FALSE(scenario->bodies[0].known);
}

/// A misspelt key is never passed over: the night made would be another than the one asked for.
TEST_F(ScenarioTest, UnknownKeysAreNamedOnEveryLevel) {
    EXPECT_NE(whyNot("seed = 77", "seeds = 77").find("seeds"), std::string::npos);
    EXPECT_NE(whyNot("[[field]]", "[[fields]]").find("fields"), std::string::npos);
    EXPECT_NE(whyNot("altitude_m", "altitude").find("altitude"), std::string::npos);
    EXPECT_NE(whyNot("count = 7", "cuont = 7").find("cuont"), std::string::npos);
    EXPECT_NE(whyNot("known = false", "unknown = true").find("unknown"), std::string::npos);
}

TEST_F(ScenarioTest, WhatMakesNoNightIsSaid) {
    EXPECT_NE(whyNot("camera = \"two\"", "camera = \"three\"").find("three"), std::string::npos);
    EXPECT_NE(whyNot("width = 100", "width = 3").find("two"), std::string::npos);
    EXPECT_NE(whyNot("e = 0.9", "e = 1.2").find("eccentricity"), std::string::npos);
    EXPECT_NE(whyNot("start = \"2034-03-17T22:20:00\"", "start = \"soon\"").find("series"),
              std::string::npos);
    EXPECT_FALSE(whyNot("count = 7", "count = \"many\"").empty());
    EXPECT_FALSE(whyNot("[site]", "[site").empty());
    EXPECT_FALSE(readScenario(folder_ / "none.toml"));
}

} // namespace
} // namespace pathmark::simulate
