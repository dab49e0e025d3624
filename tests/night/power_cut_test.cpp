#include "tests/support/power_cut.h"

#include "core/night/night_file.h"
#include "tests/support/report_files.h"
#include "tests/support/small_night.h"

#include <fmt/format.h>
#include <gtest/gtest.h>

#include <cstdlib>
#include <fstream>

// The machine loses its power at any moment of a night: its run, decisions, a second run. PATHMARK_POWER_CUTS: how many moments.
namespace pathmark {
namespace {

namespace fs = std::filesystem;
using test_support::CallKind;
using test_support::NameOrder;
using test_support::PowerCut;
using test_support::reportsIn;
using test_support::TemporaryFolder;

/// Whole files are not all that a night file is: its database mends itself.
const std::vector<std::string> kDatabase{"night.pmnight"};

struct Act {
    const char* mark;
    std::string words; ///< {0}: the test's folder
};

std::vector<Act> acts() {
    const std::string decide = "decide '{0}/out/night.pmnight' --quiet ";
    return {{"run", "run '{0}/night' --recipe '{0}/night/recipe.toml' --out '{0}/out' --quiet"},
            {"1", decide + "--exclude west_001"},
            {"2", decide + "--include west_001"},
            {"3", decide + "--exclude west_002 --reason cloud"},
            {"again", "run '{0}/night' --recipe '{0}/night/recipe.toml' --out '{0}/out' --quiet"},
            {"4", decide + "--undo 1"}};
}

class PowerCutTest : public testing::Test {
  protected:
    static void SetUpTestSuite() {
        shared_ = new TemporaryFolder;
        test_support::makeTinyNight(shared_->path() / "night");
        for (const Act& act : acts()) {
            const auto ended = test_support::runCommand(
                fmt::format(fmt::runtime(act.words), shared_->path().string()),
                *shared_,
                fmt::format("LD_PRELOAD='{}' PATHMARK_RECORD='{}' PATHMARK_RECORD_UNDER='{}' ",
                            PATHMARK_RECORDING_CALLS,
                            record().string(),
                            out().string()));
            ASSERT_EQ(ended.status, 0) << ended.errors;
            std::ofstream(record(), std::ios::app | std::ios::binary)
                << test_support::toBytes({CallKind::Said, "", "", 0, act.mark});
        }
        fs::rename(out(), shared_->path() / "quiet");
        cut_ = new PowerCut(test_support::recordedCalls(test_support::contentOf(record())), out());
    }

    static void TearDownTestSuite() {
        delete cut_;
        delete shared_;
        cut_ = nullptr;
        shared_ = nullptr;
    }

    static fs::path out() { return shared_->path() / "out"; }

    static fs::path record() { return shared_->path() / "record"; }

    /// What was said to be done is there, and nothing is half there.
    static void expectWhole(std::size_t at) {
        const auto said = cut_->saidBefore(at);
        EXPECT_EQ(cut_->halfThere(kDatabase), std::vector<std::string>());
        std::size_t decided = 0;
        for (const Act& act : acts()) {
            decided += std::isdigit(*act.mark) != 0 && said.count(act.mark) != 0 ? 1 : 0;
        }
        if (said.count("run") == 0) {
            return;
        }
        const auto night = night::NightFile::open(out() / "night.pmnight");
        ASSERT_TRUE(night) << night.error().detail;
        const auto history = night->history();
        ASSERT_TRUE(history) << history.error().detail;
        EXPECT_GE(history->size(), decided);
        EXPECT_LE(history->size(), decided + 1);
        for (const auto& [name, text] : reportsIn(out())) {
            EXPECT_FALSE(text.empty()) << name;
        }
    }

    /// A run after the cut ends as one that nothing disturbed.
    static void expectGoesOn() {
        const auto ended = test_support::runCommand(
            fmt::format("run '{0}/night' --recipe '{0}/night/recipe.toml' --out '{0}/out' --quiet",
                        shared_->path().string()),
            *shared_,
            "");
        EXPECT_EQ(ended.status, 0) << ended.errors;
        EXPECT_FALSE(test_support::hasLeftovers(out()));
    }

    static TemporaryFolder* shared_;
    static PowerCut* cut_;
};

TemporaryFolder* PowerCutTest::shared_ = nullptr;
PowerCut* PowerCutTest::cut_ = nullptr;

/// Truth: the folder that the program left. The record has all of it, or the cuts below say nothing.
TEST_F(PowerCutTest, TheRecordIsWhole) {
    cut_->restoreAll();
    const fs::path quiet = shared_->path() / "quiet";
    std::size_t files = 0;
    for (const auto& entry : fs::recursive_directory_iterator(quiet)) {
        const fs::path there = out() / fs::relative(entry.path(), quiet);
        if (entry.is_regular_file() && entry.path().string().find("-shm") == std::string::npos) {
            ++files;
            EXPECT_TRUE(test_support::contentOf(there) == test_support::contentOf(entry.path()))
                << there;
        }
    }
    EXPECT_GT(files, 10U);
    EXPECT_GT(cut_->calls(), 1000U);
}

/// Truth: the marks of what the program had answered, and what files had in them when they were renamed.
TEST_F(PowerCutTest, WhatWasSaidIsThereAndNothingIsHalfThere) {
    const char* wish = std::getenv("PATHMARK_POWER_CUTS");
    const int cuts = wish == nullptr ? 60 : std::atoi(wish);
    std::mt19937_64 random(21);
    int goneOn = 0;
    for (int k = 0; k < cuts; ++k) {
        const std::size_t at = std::uniform_int_distribution<std::size_t>(1, cut_->calls())(random);
        const auto order = k % 2 == 0 ? NameOrder::Journal : NameOrder::PerFolder;
        SCOPED_TRACE(fmt::format("after {} of {} calls, order {}", at, cut_->calls(), k % 2));
        cut_->restore(at, order, random);
        expectWhole(at);
        if (k % 20 == 0) {
            expectGoesOn();
            ++goneOn;
        }
        if (HasFailure()) {
            break;
        }
    }
    std::printf("%d cuts of %zu calls, %d gone on from\n", cuts, cut_->calls(), goneOn);
}

/// What the test above is worth: on a disk that never was asked to keep anything, files are half there.
TEST_F(PowerCutTest, WithoutSyncsMuchIsLost) {
    auto calls = test_support::recordedCalls(test_support::contentOf(record()));
    std::erase_if(calls, [](const auto& call) { return call.kind == CallKind::Sync; });
    const PowerCut careless(calls, out());
    std::mt19937_64 random(21);
    std::size_t half = 0;
    for (int k = 0; k < 10; ++k) {
        careless.restore(careless.calls(), NameOrder::Journal, random);
        half += careless.halfThere(kDatabase).size();
    }
    EXPECT_GT(half, 10U);
}

} // namespace
} // namespace pathmark
