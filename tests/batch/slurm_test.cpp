#include "core/batch/conductor.h"
#include "core/batch/slurm_engine.h"
#include "tests/support/run_command.h"
#include "tests/support/shell.h"
#include "tests/support/small_night.h"

#include <fmt/format.h>
#include <gtest/gtest.h>

#include <cstdlib>
#include <fstream>
#include <memory>
#include <thread>

// Debian's own Slurm on this machine's loopback: a controller and four node daemons. Where it cannot start these tests fail.

namespace pathmark::batch {
namespace {

namespace fs = std::filesystem;

constexpr int kNodes = 4;

/// Begins with the first test and goes with the last.
class SlurmTest : public testing::Test {
  public:
    static void SetUpTestSuite() {
        // Its sockets want short names.
        cluster_ = std::make_unique<test_support::TemporaryFolder>();
        isUp_ = cluster(fmt::format("start '{}' {}", cluster_->path().string(), kNodes)) == 0;
        ::setenv("SLURM_CONF", (cluster_->path() / "slurm.conf").c_str(), 1);
    }

    static void TearDownTestSuite() {
        cluster(fmt::format("stop '{}'", cluster_->path().string()));
        ::unsetenv("SLURM_CONF");
        cluster_.reset();
    }

  protected:
    void SetUp() override {
        ASSERT_TRUE(isUp_) << "Slurm does not start here: see the lines above.";
    }

    static int cluster(const std::string& words) {
        return test_support::runLine(
            fmt::format("'{}/tests/batch/small_cluster' {}", PATHMARK_SOURCE_DIR, words));
    }

    static int onNode(const char* what, int node) {
        return cluster(fmt::format("{} '{}' n{}", what, cluster_->path().string(), node));
    }

    /// Pieces that take a while, and tell how often they were begun.
    [[nodiscard]] Campaign campaign(int count, double seconds) const {
        std::vector<Piece> pieces;
        for (int k = 0; k < count; ++k) {
            Piece piece;
            piece.id = fmt::format("piece-{:03}", k);
            piece.words = {"wait", fmt::format("{}", seconds)};
            if (k > 0 && k % 5 == 0) {
                piece.needs = {fmt::format("piece-{:03}", k - 1)};
            }
            piece.size = 1.0;
            pieces.push_back(piece);
        }
        return beginCampaign(folder_ / "work", "test", script(), pieces).value();
    }

    /// Stands for the program: "piece ..." is the program's own, anything else is the work.
    [[nodiscard]] fs::path script() const {
        const fs::path path = folder_ / "program";
        std::ofstream(path) << fmt::format("#!/bin/sh\nif [ \"$1\" = piece ]; then exec '{}' "
                                           "\"$@\"; fi\necho begun >> '{}'\nsleep $2\n"
                                           "echo '{{\"done\": true}}'\n",
                                           PATHMARK_COMMAND,
                                           (folder_ / "begun").string());
        fs::permissions(path, fs::perms::owner_all);
        return path;
    }

    static ConductSettings settings() {
        ConductSettings settings;
        settings.pause = std::chrono::milliseconds(300);
        return settings;
    }

    static std::unique_ptr<test_support::TemporaryFolder> cluster_;
    static bool isUp_;
    test_support::TemporaryFolder folder_;
};

std::unique_ptr<test_support::TemporaryFolder> SlurmTest::cluster_;
bool SlurmTest::isUp_ = false;

TEST_F(SlurmTest, PiecesAreDoneInTheirOrder) {
    const Campaign work = campaign(12, 0.1);
    SlurmEngine engine(work, 1, {});
    const auto state = conduct(work, engine, settings(), {});
    ASSERT_TRUE(state) << toMessage(state.error());
    EXPECT_EQ(state->done.size(), work.pieces.size());
    EXPECT_EQ(state->attempts, 0);
    std::set<std::string> machines;
    for (const Piece& piece : work.pieces) {
        machines.insert(resultOf(work, piece.id)->machine);
    }
    EXPECT_GT(machines.size(), 1U);
}

/// Two nodes go while they work, and the controller goes and comes again: all is done, and counted once.
TEST_F(SlurmTest, NodesAndControllerMayGo) {
    const Campaign work = campaign(16, 1.5);
    SlurmEngine engine(work, 1, {});
    std::jthread trouble([] {
        std::this_thread::sleep_for(std::chrono::seconds(2));
        onNode("kill", 1);
        onNode("kill", 2);
        std::this_thread::sleep_for(std::chrono::seconds(2));
        cluster(fmt::format("controller '{}'", cluster_->path().string()));
    });
    const auto state = conduct(work, engine, settings(), {});
    trouble.join();
    onNode("node", 1);
    onNode("node", 2);
    ASSERT_TRUE(state) << toMessage(state.error());
    EXPECT_EQ(state->done.size(), work.pieces.size());
    EXPECT_EQ(publishedPieces(work).size(), work.pieces.size());
}

/// Jobs of this work alone are taken back, and what was done stays; the same command goes on.
TEST_F(SlurmTest, CanBeStoppedAndGoneOnWith) {
    const Campaign work = campaign(12, 1.0);
    SlurmEngine engine(work, 1, {});
    std::stop_source stop;
    std::jthread hand([&] {
        std::this_thread::sleep_for(std::chrono::milliseconds(2500));
        stop.request_stop();
    });
    Job job;
    job.stop = stop.get_token();
    const auto stopped = conduct(work, engine, settings(), job);
    ASSERT_FALSE(stopped);
    EXPECT_EQ(stopped.error().id, ErrorId::BaseCancelled);
    ASSERT_TRUE(engine.cancel());
    for (int k = 0; k < 50 && !engine.atWork()->empty(); ++k) {
        std::this_thread::sleep_for(std::chrono::milliseconds(200));
    }
    EXPECT_TRUE(engine.atWork()->empty());
    const std::size_t done = publishedPieces(work).size();
    EXPECT_LT(done, work.pieces.size());
    const auto state = conduct(work, engine, settings(), {});
    ASSERT_TRUE(state) << toMessage(state.error());
    EXPECT_EQ(state->done.size(), work.pieces.size());
}

/// Two nights, one of them in parts, by the finished program: the same bytes as one machine's.
TEST_F(SlurmTest, NightsAreTheSameToTheByte) {
    for (const char* night : {"one", "two"}) {
        test_support::makeTinyNight(folder_ / night);
    }
    const auto run = [&](const std::string& words) {
        const auto ended = test_support::runCommand(words, folder_);
        EXPECT_EQ(ended.status, 0) << words << "\n" << ended.errors;
    };
    for (const char* night : {"one", "two"}) {
        run(fmt::format("run '{0}' --recipe '{0}/recipe.toml' --out '{1}' --quiet",
                        (folder_ / night).string(),
                        (folder_ / "alone" / night).string()));
    }
    run(fmt::format(
        "batch '{}' '{}' --do 'run --recipe {{night}}/recipe.toml' --batch slurm --piece 6 "
        "--work '{}' --out '{}' --quiet",
        (folder_ / "one").string(),
        (folder_ / "two").string(),
        (folder_ / "pieces").string(),
        (folder_ / "out").string()));
    std::size_t compared = 0;
    for (const auto& entry : fs::recursive_directory_iterator(folder_ / "alone")) {
        const fs::path other = folder_ / "out" / entry.path().lexically_relative(folder_ / "alone");
        ASSERT_TRUE(fs::exists(other)) << other;
        if (entry.is_regular_file() &&
            !entry.path().filename().string().starts_with("night.pmnight")) {
            EXPECT_EQ(test_support::contentOf(entry.path()), test_support::contentOf(other))
                << other;
            ++compared;
        }
    }
    EXPECT_GT(compared, 20U);
}

} // namespace
} // namespace pathmark::batch
