#include "core/night/night_file.h"
#include "core/night/run_night.h"
#include "tests/support/report_files.h"
#include "tests/support/run_command.h"
#include "tests/support/swept_night.h"

#include <fmt/format.h>
#include <gtest/gtest.h>
#include <nlohmann/json.hpp>

#include <cmath>
#include <thread>

// A run searches a series along every motion, as decided. Truth: where the night was made with its bodies.
namespace pathmark {
namespace {

namespace fs = std::filesystem;
using test_support::contentOf;
using test_support::kSweptBody;

/// The night, run once without a sweep; each test goes on from a copy.
class SweepStepTest : public testing::Test {
  protected:
    static void SetUpTestSuite() {
        shared_ = new test_support::TemporaryFolder;
        test_support::makeSweptNight(shared_->path() / "night");
        const fs::path night = shared_->path() / "night";
        const auto done = night::runNight({night, night / "recipe.toml", night / "out", {}}, Job{});
        ASSERT_TRUE(done) << done.error().detail;
        EXPECT_EQ(done->candidates, 0) << "no frame shows it";
    }

    static void TearDownTestSuite() {
        delete shared_;
        shared_ = nullptr;
    }

    void SetUp() override {
        fs::copy(shared_->path() / "night", night(), fs::copy_options::recursive);
    }

    [[nodiscard]] fs::path night() const { return own_.path() / "night"; }

    [[nodiscard]] fs::path out() const { return night() / "out"; }

    [[nodiscard]] night::NightFile file() const {
        auto opened = night::NightFile::open(out() / "night.pmnight");
        EXPECT_TRUE(opened);
        return std::move(*opened);
    }

    [[nodiscard]] std::vector<night::MeasurementRecord> measurements() const {
        return file().measurements().value();
    }

    Result<night::RunSummary> run(const Job& job = {},
                                  std::function<void(const night::SweptBody&)> onSwept = {}) const {
        night::RunOptions options{night(), night() / "recipe.toml", out(), {}};
        options.onSwept = std::move(onSwept);
        return night::runNight(options, job);
    }

    void decide(const std::string& options) const {
        const auto ended = test_support::runCommand(
            fmt::format("decide '{}' {}", (out() / "night.pmnight").string(), options), own_);
        ASSERT_EQ(ended.status, 0) << ended.errors;
    }

    /// Asks for a sweep of the series of the first light.
    void ask(const std::string& rates = "0.3 1.5") const {
        decide(fmt::format("--sweep {} {}", file().lights()->front().frame.text(), rates));
    }

    /// Where the night was made with its faint body, nearest in time.
    [[nodiscard]] SkyPos truthAt(const Utc& time) const {
        const auto truth = nlohmann::json::parse(contentOf(night() / "truth.json"));
        double nearest = 1e9;
        SkyPos place;
        const auto lights = file().lights().value();
        for (const auto& light : lights) {
            for (const auto& frame : truth.at("frames")) {
                if (fs::path(frame.at("file").get<std::string>()).filename() !=
                        light.raw.filename() ||
                    !frame.at("bodies").contains(kSweptBody)) {
                    continue;
                }
                const auto& body = frame.at("bodies").at(kSweptBody);
                const double off = std::abs(light.middle.secondsSince(time));
                if (off < nearest) {
                    nearest = off;
                    place = skyDegrees(body.at("ra").get<double>(), body.at("dec").get<double>());
                }
            }
        }
        EXPECT_LT(nearest, 1e9);
        return place;
    }

  private:
    inline static test_support::TemporaryFolder* shared_ = nullptr;
    test_support::TemporaryFolder own_;
};

TEST_F(SweepStepTest, WhatNoFrameShowsBecomesACandidateThatIsKeptAndReported) {
    ask();
    std::size_t told = 0;
    const auto done = run({}, [&](const night::SweptBody&) { ++told; });
    ASSERT_TRUE(done) << done.error().detail;
    EXPECT_GE(told, 1U) << "candidates are told as they turn up";
    const auto sweeps = file().sweeps().value();
    ASSERT_EQ(sweeps.size(), 1U);
    const auto unknown = std::count_if(
        sweeps[0].bodies.begin(), sweeps[0].bodies.end(), [](const auto& b) { return !b.known; });
    ASSERT_EQ(unknown, 1) << "the known ones are known";
    const auto body = *std::find_if(
        sweeps[0].bodies.begin(), sweeps[0].bodies.end(), [](const auto& b) { return !b.known; });
    EXPECT_LT(body.falseAlarmsLog10, -2.0);
    EXPECT_EQ(body.name.size(), 7U);
    EXPECT_LT(separation(body.at(body.time), truthAt(body.time)).arcsec(), 25.0);
    int measured = 0;
    std::string ids;
    for (const auto& m : measurements()) {
        if (m.body == night::BodyId::of(body.name)) {
            ++measured;
            EXPECT_TRUE(m.candidate);
            EXPECT_EQ(m.state, night::MeasurementState::Parked);
            EXPECT_TRUE(fs::exists(m.picture)) << m.picture;
            ids += " " + m.id.substr(0, 12);
        }
    }
    EXPECT_GE(measured, 2);
    // Once more: nothing is searched again, and all is there.
    told = 0;
    ASSERT_TRUE(run({}, [&](const night::SweptBody&) { ++told; }));
    EXPECT_EQ(told, 0U);
    decide(fmt::format("--keep {}", body.name));
    ASSERT_TRUE(run());
    const auto reports = test_support::reportsIn(out());
    EXPECT_TRUE(std::any_of(reports.begin(), reports.end(), [&](const auto& report) {
        return report.second.find(body.name) != std::string::npos;
    }));
}

/// Truth: a run that nobody stopped.
TEST_F(SweepStepTest, StoppedAtTenPointsItEndsTheSame) {
    ask();
    int stages = 0;
    const auto countStages = [&](const Progress& p) {
        stages += p.stage.find("motions") != std::string::npos ||
                          p.stage.find("chance") != std::string::npos
                      ? 1
                      : 0;
    };
    // Stopped each time a little later, ten times; what was done is not done again.
    for (int point = 1; point <= 10; ++point) {
        std::stop_source stop;
        Job job;
        job.stop = stop.get_token();
        int seen = 0;
        job.onProgress = [&](const Progress& p) {
            countStages(p);
            if (p.stage.find("sweep") != std::string::npos ||
                p.stage.find("Filtering") != std::string::npos ||
                p.stage.find("motions") != std::string::npos ||
                p.stage.find("chance") != std::string::npos ||
                p.stage.find("candidates") != std::string::npos) {
                seen += 1;
                if (seen == 5 * point) {
                    stop.request_stop();
                }
            }
        };
        const auto done = run(job);
        if (done) {
            break;
        }
        EXPECT_EQ(done.error().id, ErrorId::BaseCancelled);
    }
    ASSERT_TRUE(run());
    const auto resumed = file().sweeps().value();
    const auto reports = test_support::reportsIn(out());
    EXPECT_FALSE(fs::exists(out() / "sweep.kept")) << "what was kept on the way goes";
    EXPECT_FALSE(fs::exists(out() / "sweep.work"));
    fs::remove_all(out());
    ASSERT_TRUE(run());
    ask();
    ASSERT_TRUE(run());
    const auto whole = file().sweeps().value();
    ASSERT_EQ(whole.size(), resumed.size());
    ASSERT_EQ(whole[0].bodies.size(), resumed[0].bodies.size());
    EXPECT_EQ(whole[0].thresholdSnr, resumed[0].thresholdSnr);
    for (std::size_t k = 0; k < whole[0].bodies.size(); ++k) {
        EXPECT_EQ(whole[0].bodies[k].name, resumed[0].bodies[k].name);
        EXPECT_EQ(whole[0].bodies[k].snr, resumed[0].bodies[k].snr);
    }
    EXPECT_EQ(test_support::reportsIn(out()), reports);
}

TEST_F(SweepStepTest, AWishThatCannotBeMetIsAFailureAndTheNightGoesOn) {
    ask("0.00001 0.00002");
    const auto done = run();
    ASSERT_TRUE(done) << done.error().detail;
    ASSERT_EQ(done->failures.size(), 1U);
    EXPECT_EQ(done->failures[0].id, ErrorId::SweepNoMotion);
    EXPECT_TRUE(file().sweeps()->empty());
    // Taken back, nothing is said any more.
    decide("--undo 1");
    const auto again = run();
    ASSERT_TRUE(again);
    EXPECT_TRUE(again->failures.empty());
}

/// The same body found on two sweeps is one candidate, measured once.
TEST_F(SweepStepTest, TwoSweepsOfOneSeriesFindOneBodyOnce) {
    ask("0.3 1.5");
    ask("0.4 1.4");
    ASSERT_TRUE(run());
    const auto sweeps = file().sweeps().value();
    ASSERT_EQ(sweeps.size(), 2U);
    std::set<std::string> names;
    for (const auto& body : sweeps[0].bodies) {
        names.insert(body.name);
    }
    for (const auto& body : sweeps[1].bodies) {
        EXPECT_TRUE(names.contains(body.name)) << body.name;
        EXPECT_TRUE(body.known);
    }
    std::set<std::string> ids;
    for (const auto& m : measurements()) {
        EXPECT_TRUE(ids.insert(m.id).second) << m.body.text();
    }
}

} // namespace
} // namespace pathmark
