#include "core/base/folder_lock.h"
#include "tests/support/report_files.h"
#include "tests/support/small_night.h"
#include "tests/support/temporary_folder.h"

#include <fmt/format.h>
#include <gtest/gtest.h>
#include <nlohmann/json.hpp>

#include <csignal>

// What interrupts a run: a power cut at any commit and any rename, signals, a second run.
namespace pathmark {
namespace {

namespace fs = std::filesystem;
using test_support::Ended;
using test_support::hasLeftovers;
using test_support::reportsIn;
using test_support::TemporaryFolder;

class InterruptedTest : public testing::Test {
  protected:
    static void SetUpTestSuite() {
        shared_ = new TemporaryFolder;
        test_support::makeTinyNight(night());
        quiet_ = run(shared_->path() / "quiet", "", *shared_);
    }

    void SetUp() override {
        ASSERT_EQ(quiet_.status, 0) << quiet_.errors;
        reports_ = reportsIn(shared_->path() / "quiet");
        for (const auto& [name, text] : reports_) {
            ASSERT_FALSE(text.empty()) << name;
        }
    }

    static void TearDownTestSuite() {
        delete shared_;
        shared_ = nullptr;
    }

    static fs::path night() { return shared_->path() / "night"; }

    static Ended run(const fs::path& out, const std::string& before, const TemporaryFolder& own) {
        return test_support::runCommand(
            fmt::format("run '{0}' --recipe '{0}/recipe.toml' --out '{1}' --json",
                        night().string(),
                        out.string()),
            own,
            before);
    }

    /// With what stands between the program and its n-th rename or commit.
    Ended runUntil(const fs::path& out, int event, int signal = 0) const {
        return run(out,
                   fmt::format("LD_PRELOAD='{}' PATHMARK_FAULT_AT={} PATHMARK_FAULT_SIGNAL={} ",
                               PATHMARK_FAULTS,
                               event,
                               signal),
                   own_);
    }

    TemporaryFolder own_;
    std::map<std::string, std::string> reports_; ///< of a run that nothing disturbed

  private:
    static TemporaryFolder* shared_;
    static Ended quiet_;
};

TemporaryFolder* InterruptedTest::shared_ = nullptr;
Ended InterruptedTest::quiet_;

/// Truth: the reports of a run that nothing disturbed, every one, byte for byte. The fault comes at the first commit or
/// rename, then at the second, and so on until a run gets through.
TEST_F(InterruptedTest, AFaultAtAnyCommitOrRenameLosesNothing) {
    int faults = 0;
    for (int event = 1;; ++event) {
        const fs::path out = own_ / fmt::format("out{}", event);
        const Ended ended = runUntil(out, event);
        if (ended.status == 0) {
            break;
        }
        ASSERT_EQ(ended.status, 128 + SIGKILL) << event << ": " << ended.errors;
        ++faults;
        const Ended again = run(out, "", own_);
        ASSERT_EQ(again.status, 0) << event << ": " << again.errors;
        ASSERT_EQ(reportsIn(out), reports_) << event;
        EXPECT_FALSE(hasLeftovers(out)) << event;
        fs::remove_all(out);
    }
    // Three masters, four lights with their products, two stacks, lists and reports: fewer would mean that the fault
    // does not stand where it should.
    EXPECT_GT(faults, 25);
}

class SignalTest : public InterruptedTest, public testing::WithParamInterface<int> {};

/// At any moment a signal ends the run with its own status and one JSON object, leaves nothing half-written, and loses
/// nothing.
TEST_P(SignalTest, EndsARunCleanly) {
    for (const int event : {1, 3, 6, 10, 14, 18, 22, 26}) {
        const fs::path out = own_ / fmt::format("out{}", event);
        const Ended ended = runUntil(out, event, GetParam());
        ASSERT_EQ(ended.status, 128 + GetParam()) << event << ": " << ended.errors;
        const auto parsed = nlohmann::json::parse(ended.output);
        EXPECT_FALSE(parsed.at("done").get<bool>()) << event;
        EXPECT_EQ(parsed.at("failures").at(0).at("id"), "base.cancelled") << event;
        EXPECT_FALSE(hasLeftovers(out)) << event;
        ASSERT_EQ(run(out, "", own_).status, 0) << event;
        EXPECT_EQ(reportsIn(out), reports_) << event;
    }
}

INSTANTIATE_TEST_SUITE_P(Signals, SignalTest, testing::Values(SIGINT, SIGTERM));

TEST_F(InterruptedTest, ASecondRunOnTheSameFolderIsRefused) {
    const fs::path out = own_ / "out";
    fs::create_directories(out);
    auto lock = FolderLock::take(out);
    ASSERT_TRUE(lock);
    const Ended ended = run(out, "", own_);
    EXPECT_EQ(ended.status, 1);
    EXPECT_EQ(nlohmann::json::parse(ended.output).at("failures").at(0).at("id"), "night.in_use");
    lock = fail(ErrorId::NightInUse, "given back");
    EXPECT_EQ(run(out, "", own_).status, 0);
}

/// Truth: the reports of a run with a quiet clock. Somebody sets the clock, a year to and fro at every reading: reports are the same to the
/// byte, what was decided stands in its order and is taken back in it, and a run goes on where another was.
TEST_F(InterruptedTest, AJumpingClockChangesNothing) {
    const std::string jumping =
        fmt::format("LD_PRELOAD='{}' PATHMARK_CLOCK_JUMP=31557600 ", PATHMARK_JUMPING_CLOCK);
    const fs::path out = own_ / "out";
    const Ended ended = run(out, jumping, own_);
    ASSERT_EQ(ended.status, 0) << ended.errors;
    EXPECT_EQ(reportsIn(out), reports_);
    const auto decide = [&](const std::string& words) {
        return test_support::runCommand(
            fmt::format("decide '{}/night.pmnight' {} --json", out.string(), words), own_, jumping);
    };
    for (const char* words : {"--exclude west_001", "--include west_001", "--exclude west_002"}) {
        ASSERT_EQ(decide(words).status, 0) << words;
    }
    const auto history = nlohmann::json::parse(decide("--history").output);
    EXPECT_EQ(history.at("history").size(), 3U) << history.dump();
    ASSERT_EQ(decide("--undo 1").status, 0);
    const Ended again = run(out, jumping, own_);
    EXPECT_EQ(again.status, 0) << again.errors;
    EXPECT_EQ(reportsIn(out), reports_);
}

} // namespace
} // namespace pathmark
