#include "core/frame/fits_file.h"
#include "core/night/night_file.h"
#include "tests/support/fail_at.h"
#include "tests/support/report_files.h"
#include "tests/support/small_night.h"

#include <fmt/format.h>
#include <gtest/gtest.h>
#include <nlohmann/json.hpp>

#include <algorithm>
#include <cerrno>
#include <cstdlib>
#include <fstream>
#include <set>

// The machine says no at any call: a full disk, a lost one, no memory, no thread. PATHMARK_FAIL_POINTS=0 tries every call there is.
namespace pathmark {
namespace {

namespace fs = std::filesystem;
using test_support::Ended;
using test_support::failAt;
using test_support::FailingCall;
using test_support::hasLeftovers;
using test_support::pointsOf;
using test_support::reportsIn;
using test_support::TemporaryFolder;

struct Failing {
    const char* name;
    FailingCall failing;
    std::string operation; ///< words of the program; {0} is the test's folder, {1} the night's

    /// What a test is called by where it fails.
    friend void PrintTo(const Failing& made, std::ostream* stream) { *stream << made.name; }
};

std::string runWords() {
    return "run '{1}' --recipe '{1}/recipe.toml' --out '{0}/out' --json --quiet";
}

std::string decideWords() {
    return "decide '{0}/out/night.pmnight' --exclude west_001 --json --quiet";
}

class FailingCallsTest : public testing::TestWithParam<Failing> {
  protected:
    static void SetUpTestSuite() {
        shared_ = new TemporaryFolder;
        test_support::makeTinyNight(shared_->path() / "night");
        const auto quiet = execute(runWords(), *shared_, "");
        ASSERT_EQ(quiet.status, 0) << quiet.errors;
    }

    static void TearDownTestSuite() {
        delete shared_;
        shared_ = nullptr;
    }

    static Ended
    execute(const std::string& words, const TemporaryFolder& own, const std::string& before) {
        return test_support::runCommand(fmt::format(fmt::runtime(words),
                                                    own.path().string(),
                                                    (shared_->path() / "night").string()),
                                        own,
                                        before);
    }

    /// What the operation begins with.
    void prepare(const TemporaryFolder& own, const std::string& operation) const {
        if (operation != runWords()) {
            fs::copy(shared_->path() / "out", own / "out", fs::copy_options::recursive);
        }
    }

    static TemporaryFolder* shared_;
};

TemporaryFolder* FailingCallsTest::shared_ = nullptr;

/// Nothing that has a result's name is half there: whatever was written says by its key that it is whole, and pictures can be read.
void expectWhole(const fs::path& out) {
    std::error_code status;
    for (auto at = fs::recursive_directory_iterator(out, status);
         !status && at != fs::recursive_directory_iterator();
         at.increment(status)) {
        const fs::path& path = at->path();
        if (path.extension() == ".fits" && path.filename().string().front() != '.') {
            EXPECT_TRUE(frame::readFits(path)) << path;
        }
    }
}

/// Truth: the reports of a run that nothing disturbed. After the fault the program says that it failed, or did all; nothing is half there;
/// and the next run has the same reports to the byte.
TEST_P(FailingCallsTest, IsSaidAndLosesNothing) {
    const Failing& failing = GetParam();
    const auto wanted = reportsIn(shared_->path() / "out");
    const TemporaryFolder counting;
    prepare(counting, failing.operation);
    const auto counted =
        execute(failing.operation, counting, failAt(failing.failing, 0, counting / "count"));
    ASSERT_EQ(counted.status, 0) << counted.errors;
    const long calls = std::atol(test_support::contentOf(counting / "count").c_str());
    ASSERT_GT(calls, 0);
    int said = 0;
    const auto points = pointsOf(calls);
    for (const long at : points) {
        SCOPED_TRACE(fmt::format("{} {} of {}", failing.failing.call, at, calls));
        const TemporaryFolder own;
        prepare(own, failing.operation);
        const auto ended =
            execute(failing.operation, own, failAt(failing.failing, at, own / "count"));
        EXPECT_TRUE(ended.status == 0 || ended.status == 1 || ended.status == 2)
            << ended.status << ": " << ended.errors;
        if (ended.status != 0) {
            ++said;
            EXPECT_FALSE(ended.errors.empty());
            EXPECT_EQ(ended.errors.find("An error of the program itself"), std::string::npos)
                << ended.errors;
        }
        expectWhole(own / "out");
        if (failing.operation != runWords()) {
            // What was said to be decided is decided, and what was not is not half so.
            const auto file = night::NightFile::open(own / "out" / "night.pmnight");
            ASSERT_TRUE(file) << file.error().detail;
            const auto history = file->history();
            ASSERT_TRUE(history);
            EXPECT_LE(history->size(), 1U);
            if (ended.status == 0) {
                EXPECT_EQ(history->size(), 1U);
            }
            continue;
        }
        const auto again = execute(runWords(), own, "");
        EXPECT_EQ(again.status, 0) << again.errors;
        EXPECT_EQ(reportsIn(own / "out"), wanted);
        EXPECT_FALSE(hasLeftovers(own / "out"));
    }
    RecordProperty("calls", static_cast<int>(calls));
    RecordProperty("tried", static_cast<int>(points.size()));
    RecordProperty("said", said);
    std::printf("%s: %ld calls, %zu tried, %d said\n", failing.name, calls, points.size(), said);
}

INSTANTIATE_TEST_SUITE_P(Run,
                         FailingCallsTest,
                         testing::Values(Failing{"full_disk", {"write", ENOSPC, true}, runWords()},
                                         Failing{"one_write", {"write", EIO, false}, runWords()},
                                         Failing{"quota", {"write", EDQUOT, true}, runWords()},
                                         Failing{"sync", {"sync", EIO, false}, runWords()},
                                         Failing{"rename", {"rename", EIO, false}, runWords()},
                                         Failing{"share_gone", {"open", ENOENT, true}, runWords()},
                                         Failing{"read_only", {"open", EROFS, true}, runWords()},
                                         Failing{"one_open", {"open", EMFILE, false}, runWords()},
                                         Failing{"folder", {"folder", ENOSPC, true}, runWords()},
                                         Failing{"memory", {"memory", ENOMEM, false}, runWords()},
                                         Failing{"thread", {"thread", EAGAIN, true}, runWords()}),
                         [](const auto& made) { return std::string(made.param.name); });

INSTANTIATE_TEST_SUITE_P(
    Decision,
    FailingCallsTest,
    testing::Values(Failing{"decide_full_disk", {"write", ENOSPC, true}, decideWords()},
                    Failing{"decide_sync", {"sync", EIO, false}, decideWords()},
                    Failing{"decide_open", {"open", EROFS, true}, decideWords()}),
    [](const auto& made) { return std::string(made.param.name); });

} // namespace
} // namespace pathmark
