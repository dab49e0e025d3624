#include "simulate/painter.h"
#include "tests/support/run_command.h"
#include "tests/support/small_night.h"
#include "tests/support/table_rows.h"

#include <fmt/format.h>
#include <gtest/gtest.h>
#include <nlohmann/json.hpp>

#include <cmath>
#include <fstream>
#include <map>
#include <string>
#include <utility>
#include <vector>

// A small comet before a crowded field, in a whole run. Truth: the light and the places that the frames were made with.
namespace pathmark {
namespace {

namespace fs = std::filesystem;
using nlohmann::json;
using test_support::contentOf;
using test_support::TemporaryFolder;

const std::string kComet = "C/2034 E4";
constexpr double kComa = 25.0;   // arcsec
constexpr double kCircle = 30.0; // arcsec

/// Some frames of a comet before a crowded field: a hundred stars on the way of its coma.
simulate::Scenario crowdedComet(int frames, bool isAlone = true) {
    simulate::Scenario s = test_support::smallScenario();
    s.extraOrbits = 5;
    s.fields.front().starsPerSquareDegree = 40000.0;
    s.cameras.front().biases = 3;
    s.cameras.front().darks = 3;
    s.cameras.front().flats = 3;
    s.series.pop_back();
    s.series.front().count = frames;
    simulate::BodyScenario comet = s.bodies.back(); // near the Earth and fast
    comet.name = kComet;
    comet.packed = "CK34E040";
    comet.known = true;
    comet.m1 = 18.0;
    comet.comaArcsec = kComa;
    s.bodies = {comet};
    if (!isAlone) {
        comet.name = "C/2034 E5";
        comet.packed = "CK34E050";
        comet.meanAnomalyDegrees += 0.004; // two arcminutes behind
        s.bodies.push_back(comet);
    }
    return s;
}

class CometStackTest : public testing::Test {
  protected:
    /// The rows that a run makes on so many stacks of all frames; 0: on the frames.
    std::vector<std::map<std::string, std::string>>
    measured(int frames, int groups = 1, bool isAlone = true) {
        test_support::makeNight(night(), crowdedComet(frames, isAlone));
        std::string recipe = contentOf(night() / "recipe.toml");
        recipe.replace(recipe.find("faint_groups = 1"), 16, fmt::format("groups = {}", groups));
        std::ofstream(night() / "recipe.toml") << recipe;
        const auto ended = test_support::runCommand(
            fmt::format("run '{0}' --recipe '{0}/recipe.toml' --out '{1}' --json",
                        night().string(),
                        out().string()),
            folder_);
        EXPECT_LE(ended.status, 1) << ended.errors; // 1: nothing is kept to be reported
        return test_support::rowsOf(contentOf(out() / "measurements.csv"), ',', "body");
    }

    /// The mean of what the frames were made with.
    [[nodiscard]] double truth(const char* what) const {
        const json made = json::parse(contentOf(night() / "truth.json"));
        double sum = 0.0;
        for (const json& frame : made.at("frames")) {
            sum += frame.at("bodies").at(kComet).at(what).get<double>();
        }
        return sum / static_cast<double>(made.at("frames").size());
    }

    /// The share of a comet's light that is painted within the circle.
    static double shareInCircle() {
        constexpr double scale = 1.061; // arcsec a pixel
        frame::Image image(401, 401);
        simulate::paintComet(
            image, simulate::Blur{2.5, 0.0, 0.0}, 200.0, 200.0, 1e6, {kComa / scale, 1.0, 0.0});
        double light = 0.0;
        for (int y = 0; y < 401; ++y) {
            for (int x = 0; x < 401; ++x) {
                const bool isInside = std::hypot(x - 200, y - 200) * scale < kCircle;
                light += isInside ? static_cast<double>(image.at(x, y)) : 0.0;
            }
        }
        return light / 1e6;
    }

    [[nodiscard]] double trueMagnitudeInCircle() const {
        return truth("mag") - 2.5 * std::log10(shareInCircle());
    }

    /// With their errors.
    [[nodiscard]] std::vector<std::pair<double, double>> magnitudesInCircle() const {
        std::vector<std::pair<double, double>> all;
        for (const auto& row : test_support::rowsOf(contentOf(out() / "comets.csv"), ',', "body")) {
            if (row.at("body") == kComet && std::stod(row.at("radius_arcsec")) == kCircle) {
                all.emplace_back(std::stod(row.at("mag")), std::stod(row.at("sigma_mag")));
            }
        }
        return all;
    }

    [[nodiscard]] fs::path night() const { return folder_ / "night"; }

    [[nodiscard]] fs::path out() const { return folder_ / "out"; }

    TemporaryFolder folder_;
};

/// With their trails in it the circle was a tenth of a magnitude too bright, on an independent night a comet by a whole one.
TEST_F(CometStackTest, HoldsTheCometsLightAndNotThatOfTheStars) {
    const auto rows = measured(6);
    ASSERT_EQ(rows.size(), 1U);
    const auto& row = rows.front();
    EXPECT_EQ(row.at("state"), "kept") << row.at("reason");
    const auto circles = magnitudesInCircle();
    ASSERT_EQ(circles.size(), 1U);
    EXPECT_NEAR(circles.front().first, trueMagnitudeInCircle(), 0.03);
    const double dec = std::stod(row.at("dec_deg"));
    EXPECT_NEAR((std::stod(row.at("ra_deg")) - truth("ra")) * 3600.0 *
                    std::cos(dec * kRadiansPerDegree),
                0.0,
                4.0 * std::stod(row.at("sigma_ra_arcsec")));
    EXPECT_NEAR((dec - truth("dec")) * 3600.0, 0.0, 4.0 * std::stod(row.at("sigma_dec_arcsec")));
    EXPECT_FALSE(fs::exists(out() / ".starless"));
}

/// What is worked out for one comet of a series serves all its stacks, whatever else is worked out between them.
TEST_F(CometStackTest, TwoCometsDoNotTakeEachOthersFrames) {
    ASSERT_EQ(measured(8, 2, false).size(), 4U);
    const auto circles = magnitudesInCircle();
    ASSERT_EQ(circles.size(), 2U);
    for (const auto& [magnitude, error] : circles) {
        EXPECT_NEAR(magnitude, trueMagnitudeInCircle(), 0.04);
    }
}

/// On frames the coma is lost in the noise before it ends: where zero is taken too near to it, it lost a third of a magnitude at a stated
/// error of 0.02.
TEST_F(CometStackTest, OnFramesItsLightIsRightWithinItsErrors) {
    ASSERT_EQ(measured(6, 0).size(), 6U);
    const auto circles = magnitudesInCircle();
    ASSERT_EQ(circles.size(), 6U);
    double squares = 0.0;
    for (const auto& [magnitude, error] : circles) {
        EXPECT_NEAR(magnitude, trueMagnitudeInCircle(), 0.15);
        squares += std::pow((magnitude - trueMagnitudeInCircle()) / error, 2);
    }
    EXPECT_LT(std::sqrt(squares / 6.0), 2.5);
}

/// What does not move cannot be told from three frames: the stack is made, and it is said that the stars are in it.
TEST_F(CometStackTest, OfThreeFramesIsParked) {
    const auto rows = measured(3);
    ASSERT_EQ(rows.size(), 1U);
    EXPECT_EQ(rows.front().at("state"), "parked");
    EXPECT_NE(rows.front().at("reason").find("stars are in its light"), std::string::npos)
        << rows.front().at("reason");
}

} // namespace
} // namespace pathmark
