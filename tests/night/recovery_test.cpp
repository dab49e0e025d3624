#include "core/night/night_file.h"
#include "core/night/run_night.h"
#include "tests/support/run_command.h"
#include "tests/support/small_night.h"

#include <fmt/format.h>
#include <gtest/gtest.h>
#include <nlohmann/json.hpp>

#include <cmath>
#include <fstream>
#include <set>

// A lost body is sought along its orbit's error over two nights whose fields have nothing in common. Truth: where the frames were made with it.
namespace pathmark {
namespace {

namespace fs = std::filesystem;
using nlohmann::json;
using test_support::contentOf;

constexpr const char* kLost = "2034 LA1";
constexpr double kDaysLate = 0.05; ///< by which the orbit that is given has the body early

/// A body of S/N 2 or so in a frame, on the field of the first night and, a quarter of a degree farther, on that of the second.
simulate::Scenario twoNights() {
    simulate::Scenario s = test_support::smallScenario();
    s.extraOrbits = 5;
    s.fields.front().radiusDegrees = 0.5;
    s.fields.front().raDegrees = 177.11;
    s.fields.front().decDegrees = 2.4;
    s.series.resize(1);
    s.series.front().count = 9;
    s.series.front().cadenceSeconds = 240.0;
    s.series.push_back(s.series.front());
    s.series.back().name = "second";
    s.series.back().start = *parseUtc("2034-03-18T22:20:00");
    s.series.back().raDegrees = 176.99;
    s.series.back().decDegrees = 2.465;
    s.bodies.resize(2);
    auto& lost = s.bodies.back();
    lost = s.bodies.front();
    lost.name = "lost";
    lost.packed.clear();
    lost.known = false;
    lost.meanAnomalyDegrees -= 0.01;
    lost.h = 17.9;
    s.bodies.front().h = 26.0; // on nearly the same orbit, and not to be seen
    return s;
}

class RecoveryTest : public testing::Test {
  protected:
    static void SetUpTestSuite() {
        shared_ = new test_support::TemporaryFolder;
        test_support::makeNight(night(), twoNights());
        // It has nothing to report, and says so; its frames are what is wanted.
        test_support::runCommand(
            fmt::format("run '{0}' --recipe '{0}/recipe.toml' --out '{0}/out' --quiet",
                        night().string()),
            *shared_);
        ASSERT_TRUE(fs::exists(night() / "out" / "calibrated"));
        writeOrbit();
    }

    static void TearDownTestSuite() {
        delete shared_;
        shared_ = nullptr;
    }

    static fs::path night() { return shared_->path() / "night"; }

    /// The orbit of the lost body, off along itself.
    static void writeOrbit() {
        const auto& body = twoNights().bodies.back();
        json one = json::parse(contentOf(night() / "orbits" / "orbits.json")).at(0);
        const double axis = body.perihelionAu / (1.0 - body.eccentricity);
        const double daysOfDegree =
            std::sqrt(axis * axis * axis) / 0.01720209895 * 3.14159265358979 / 180.0;
        one["name"] = kLost;
        one["packed"] = "K34L01A";
        one["M_deg"] = body.meanAnomalyDegrees;
        one["tp_jd_tdb"] = body.epochJulian - body.meanAnomalyDegrees * daysOfDegree + kDaysLate;
        one["H"] = body.h;
        std::ofstream(night() / "lost.json") << json::array({one}).dump();
    }

    static test_support::Ended sweep(const std::string& files, const std::string& options) {
        return test_support::runCommand(
            fmt::format("sweep {0}/out/calibrated/{1} --body '{2}' --orbits {0}/lost.json "
                        "--site-geodetic 23.4127 -31.2086 1374 {3} --json",
                        night().string(),
                        files,
                        kLost,
                        options),
            *shared_);
    }

    static test_support::TemporaryFolder* shared_;
};

test_support::TemporaryFolder* RecoveryTest::shared_ = nullptr;

TEST_F(RecoveryTest, ALostBodyIsFoundOnBothNightsTogether) {
    const auto ended = sweep("*.fits", "--groups 1");
    ASSERT_EQ(ended.status, 0) << ended.errors;
    const json document = json::parse(ended.output);
    EXPECT_EQ(document.at("frames"), 18);
    ASSERT_GE(document.at("candidates").size(), 1U) << ended.errors;
    const json& found = document.at("candidates").at(0);
    EXPECT_EQ(found.at("known_as"), kLost);
    EXPECT_LT(found.at("log10_false_alarms").get<double>(), -1.0);
    ASSERT_EQ(found.at("measurements").size(), 2U) << "one of each night";
    const json truth = json::parse(contentOf(night() / "truth.json"));
    for (const json& m : found.at("measurements")) {
        const Utc time = *parseUtc(m.at("mid_time").get<std::string>());
        double nearest = 1e9;
        SkyPos place;
        for (const json& frame : truth.at("frames")) {
            const double off =
                std::abs(parseUtc(frame.at("t_mid_utc").get<std::string>())->secondsSince(time));
            if (off < nearest && frame.at("bodies").contains("lost")) {
                nearest = off;
                const json& body = frame.at("bodies").at("lost");
                place = skyDegrees(body.at("ra").get<double>(), body.at("dec").get<double>());
            }
        }
        const SkyPos measured = skyDegrees(m.at("ra").get<double>(), m.at("dec").get<double>());
        EXPECT_LT(separation(measured, place).arcsec(), 2.0);
    }
}

/// One night alone goes by the motions, as a sweep does.
TEST_F(RecoveryTest, OneFieldIsSweptAlongTheBodysMotions) {
    const auto ended = sweep("east*.fits", "--groups 1");
    ASSERT_EQ(ended.status, 0) << ended.errors;
    EXPECT_EQ(json::parse(ended.output).at("frames"), 9);
}

/// Each night swept for itself: its candidates go by one name, as one orbit fits both.
TEST_F(RecoveryTest, CandidatesOfTwoNightsAreLinkedByAnOrbit) {
    const fs::path file = night() / "out" / "night.pmnight";
    const auto lights = night::NightFile::open(file)->lights().value();
    ASSERT_EQ(lights.size(), 18U);
    for (const std::size_t k : {std::size_t{0}, std::size_t{17}}) {
        ASSERT_EQ(test_support::runCommand(fmt::format("decide '{}' --sweep {} 0.4 1.2",
                                                       file.string(),
                                                       lights[k].frame.text()),
                                           *shared_)
                      .status,
                  0);
    }
    ASSERT_TRUE(night::runNight({night(), night() / "recipe.toml", night() / "out", {}}, Job{}));
    const auto sweeps = night::NightFile::open(file)->sweeps().value();
    ASSERT_EQ(sweeps.size(), 2U);
    ASSERT_FALSE(sweeps[0].bodies.empty());
    ASSERT_FALSE(sweeps[1].bodies.empty());
    EXPECT_EQ(sweeps[0].bodies.front().name, sweeps[1].bodies.front().name);
    const auto measurements = night::NightFile::open(file)->madeMeasurements().value();
    std::set<std::string> days;
    for (const auto& m : measurements) {
        if (m.body == night::BodyId::of(sweeps[0].bodies.front().name)) {
            days.insert(toIso(m.time).substr(0, 10));
        }
    }
    EXPECT_EQ(days.size(), 2U);
}

} // namespace
} // namespace pathmark
