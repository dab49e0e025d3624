#include "core/batch/conductor.h"

#include "core/batch/run_piece.h"
#include "tests/support/temporary_folder.h"

#include <fmt/format.h>
#include <gtest/gtest.h>

#include <fstream>
#include <random>

namespace pathmark::batch {
namespace {

namespace fs = std::filesystem;

Piece pieceOf(std::string id, std::vector<std::string> needs = {}) {
    Piece piece;
    piece.id = std::move(id);
    piece.words = {"-c", "echo made > {out}/file.txt"};
    piece.needs = std::move(needs);
    return piece;
}

std::vector<Piece> twoNights() {
    std::vector<Piece> pieces;
    for (const char* night : {"a", "b"}) {
        const std::string masters = std::string(night) + "-masters";
        pieces.push_back(pieceOf(masters));
        std::vector<std::string> needs{masters};
        for (int k = 0; k < 4; ++k) {
            pieces.push_back(pieceOf(fmt::format("{}-frames-{}", night, k), {masters}));
            needs.push_back(pieces.back().id);
        }
        pieces.push_back(pieceOf(night, needs));
    }
    return pieces;
}

Campaign begun(const fs::path& folder, std::vector<Piece> pieces) {
    auto campaign = beginCampaign(folder, "nights", "/bin/sh", std::move(pieces));
    EXPECT_TRUE(campaign) << toMessage(campaign.error());
    return *campaign;
}

/// An engine as bad as they come: pieces are done late, twice, or not at all, end early, are lost with their machine; it is silent for a
/// while. What it does is told by a seed.
class BadEngine : public Engine {
  public:
    BadEngine(const Campaign& campaign, unsigned seed) : campaign_(campaign), random_(seed) {}

    Result<std::string> submit(const PieceArray& array) override {
        EXPECT_FALSE(array.pieces.empty());
        for (std::size_t k = 0; k < array.pieces.size(); ++k) {
            EXPECT_EQ(pieceAt(array.list, k).value(), array.pieces[k]);
            waiting_.push_back(array.pieces[k]);
            asked_[array.pieces[k]].push_back(array.asked);
        }
        return fmt::format("{}", ++jobs_);
    }

    Result<std::set<std::string>> atWork() override {
        if (chance(0.2)) {
            return fail(ErrorId::BatchNoEngine, "The controller is being restarted.", {});
        }
        std::vector<std::string> left;
        for (const std::string& piece : waiting_) {
            if (chance(0.5)) {
                left.push_back(piece);
            } else if (!chance(0.25)) {
                doIt(piece);
                if (chance(0.2)) {
                    doIt(piece); // requeued though it was done
                }
            } // else its machine went
        }
        waiting_ = left;
        return std::set<std::string>(left.begin(), left.end());
    }

    [[nodiscard]] bool isOrdered() const override { return false; }

    Result<bool> cancel() override { return true; }

    std::map<std::string, std::vector<Asked>> asked_;

  private:
    bool chance(double share) { return std::uniform_real_distribution<>()(random_) < share; }

    void doIt(const std::string& piece) {
        const test_support::TemporaryFolder scratch;
        const auto outcome = runPiece(campaign_, *campaign_.find(piece), scratch.path(), {});
        ASSERT_TRUE(outcome) << toMessage(outcome.error());
        EXPECT_NE(*outcome, PieceOutcome::NotReady) << piece;
    }

    const Campaign& campaign_;
    std::mt19937 random_;
    std::vector<std::string> waiting_;
    int jobs_ = 0;
};

ConductSettings hurried() {
    ConductSettings settings;
    settings.pause = std::chrono::milliseconds(0);
    settings.mostAttempts = 30;
    return settings;
}

/// Whatever an engine does, every piece is there once and whole in the end, and nothing else is.
TEST(ConductorTest, EveryPieceIsDoneAndCountedOnce) {
    for (unsigned seed = 0; seed < 12; ++seed) {
        const test_support::TemporaryFolder folder;
        const Campaign campaign = begun(folder / "work", twoNights());
        BadEngine engine(campaign, seed);
        const auto state = conduct(campaign, engine, hurried(), {});
        ASSERT_TRUE(state) << toMessage(state.error());
        EXPECT_EQ(state->done.size(), campaign.pieces.size());
        EXPECT_TRUE(state->failed.empty());
        std::set<std::string> there;
        for (const auto& entry : fs::directory_iterator(campaign.folder / "pieces")) {
            there.insert(entry.path().filename().string());
        }
        EXPECT_EQ(there, publishedPieces(campaign)) << "left behind, seed " << seed;
        EXPECT_EQ(there.size(), campaign.pieces.size());
        for (const Piece& piece : campaign.pieces) {
            const auto result = resultOf(campaign, piece.id);
            ASSERT_TRUE(result);
            EXPECT_TRUE(isIntact(campaign, *result));
            EXPECT_EQ(result->digests.size(), 1U);
            // More is asked for each time that it was lost.
            const auto& asked = engine.asked_.at(piece.id);
            EXPECT_TRUE(
                std::is_sorted(asked.begin(), asked.end(), [](const Asked& a, const Asked& b) {
                    return a.memoryMegabytes < b.memoryMegabytes;
                }));
        }
    }
}

/// What was done before a conductor was killed is not done again; what another work's folder holds is not touched.
TEST(ConductorTest, GoesOnWhereItWas) {
    const test_support::TemporaryFolder folder;
    const auto pieces = twoNights();
    {
        const Campaign campaign = begun(folder / "work", pieces);
        ASSERT_EQ(runPiece(campaign, campaign.pieces.front(), folder.path(), {}).value(),
                  PieceOutcome::Done);
    }
    const fs::path made = folder / "work" / "pieces" / "a-masters" / "file.txt";
    const auto written = fs::last_write_time(made);
    const Campaign campaign = begun(folder / "work", pieces);
    BadEngine here(campaign, 3);
    const auto state = conduct(campaign, here, hurried(), {});
    ASSERT_TRUE(state);
    EXPECT_EQ(state->done.size(), pieces.size());
    EXPECT_EQ(fs::last_write_time(made), written);
    auto others = pieces;
    others.pop_back();
    const auto refused = beginCampaign(folder / "work", "nights", "/bin/sh", others);
    ASSERT_FALSE(refused);
    EXPECT_EQ(refused.error().id, ErrorId::BatchBadCampaign);
}

/// A piece that fails each time is given up with its words, and those that need it; the others are done.
TEST(ConductorTest, WhatFailsIsGivenUpWithItsWords) {
    const test_support::TemporaryFolder folder;
    auto pieces = twoNights();
    pieces[2].words = {"-c", "echo 'no space at all' >&2; exit 1"};
    const Campaign campaign = begun(folder / "work", pieces);
    BadEngine engine(campaign, 5);
    ConductSettings settings = hurried();
    settings.mostAttempts = 6;
    const auto state = conduct(campaign, engine, settings, {});
    ASSERT_TRUE(state);
    const std::set<std::string> failed(state->failed.begin(), state->failed.end());
    EXPECT_EQ(failed, (std::set<std::string>{pieces[2].id, "a"}));
    EXPECT_EQ(state->done.size(), pieces.size() - 2);
    std::set<std::string> none;
    bool isTold = false;
    const auto attempts = attemptsOf(campaign, none);
    for (const Attempt& attempt : attempts.at(pieces[2].id)) {
        isTold = isTold || attempt.words.find("no space at all") != std::string::npos;
    }
    EXPECT_TRUE(isTold);
}

TEST(ConductorTest, AnEngineThatIsSilentForTooLongIsTold) {
    class Silent : public Engine {
      public:
        Result<std::string> submit(const PieceArray&) override {
            return fail(ErrorId::BatchNoEngine, "no", {});
        }

        Result<std::set<std::string>> atWork() override {
            return fail(ErrorId::BatchNoEngine, "no", {});
        }

        [[nodiscard]] bool isOrdered() const override { return true; }

        Result<bool> cancel() override { return true; }
    };

    const test_support::TemporaryFolder folder;
    const Campaign campaign = begun(folder / "work", twoNights());
    Silent engine;
    ConductSettings settings = hurried();
    settings.patience = std::chrono::seconds(0);
    settings.pause = std::chrono::milliseconds(2);
    const auto state = conduct(campaign, engine, settings, {});
    ASSERT_FALSE(state);
    EXPECT_EQ(state.error().id, ErrorId::BatchNoEngine);
}

TEST(CampaignTest, DamagedResultsAreNone) {
    const test_support::TemporaryFolder folder;
    const Campaign campaign = begun(folder / "work", {pieceOf("one")});
    ASSERT_EQ(runPiece(campaign, campaign.pieces.front(), folder.path(), {}).value(),
              PieceOutcome::Done);
    ASSERT_EQ(runPiece(campaign, campaign.pieces.front(), folder.path(), {}).value(),
              PieceOutcome::DoneThen);
    auto result = resultOf(campaign, "one");
    ASSERT_TRUE(result);
    EXPECT_TRUE(isIntact(campaign, *result));
    std::ofstream(campaign.resultsOf("one") / "file.txt") << "other";
    EXPECT_FALSE(isIntact(campaign, *result));
    const fs::path sidecar = campaign.resultsOf("one") / "piece.json";
    fs::resize_file(sidecar, fs::file_size(sidecar) / 2);
    EXPECT_FALSE(resultOf(campaign, "one"));
}

TEST(CampaignTest, WhatIsNoCampaignIsRefused) {
    const test_support::TemporaryFolder folder;
    EXPECT_EQ(readCampaign(folder / "nothing").error().id, ErrorId::BatchBadCampaign);
    for (const char* id : {"", "../evil", "a/b", "a b", ".hidden"}) {
        EXPECT_FALSE(beginCampaign(folder / "bad", "nights", "/bin/sh", {pieceOf(id)})) << id;
    }
    EXPECT_FALSE(beginCampaign(folder / "bad", "nights", "/bin/sh", {pieceOf("a"), pieceOf("a")}));
    EXPECT_FALSE(beginCampaign(folder / "bad", "nights", "/bin/sh", {pieceOf("a", {"a"})}));
    EXPECT_FALSE(fs::exists(folder / "bad" / "campaign.json"));
    for (const auto size : {0U, 20U, 200U}) {
        begun(folder / fmt::format("cut{}", size), {pieceOf("a")});
        const fs::path cut = folder / fmt::format("cut{}", size) / "campaign.json";
        fs::resize_file(cut, size);
        EXPECT_EQ(readCampaign(cut.parent_path()).error().id, ErrorId::BatchBadCampaign);
    }
}

/// What pieces took tells what the next ones are asked for; a few do not tell yet.
TEST(MeasuredCostsTest, TellFromEnoughPieces) {
    MeasuredCosts costs;
    Piece piece = pieceOf("a");
    piece.asked = {4000.0, 7200.0};
    piece.size = 10.0;
    const Asked cut = costs.askedFor(piece, 0);
    EXPECT_GE(cut.memoryMegabytes, 4000.0);
    EXPECT_LT(cut.memoryMegabytes, 6000.0);
    for (int k = 0; k < 8; ++k) {
        costs.add(piece, {100.0 + k, 100.0, 800.0});
    }
    const Asked measured = costs.askedFor(piece, 0);
    EXPECT_GE(measured.memoryMegabytes, 1200.0);
    EXPECT_LT(measured.memoryMegabytes, 1800.0);
    EXPECT_GE(measured.seconds, 428.0);
    EXPECT_LT(measured.seconds, 642.0);
    EXPECT_GE(costs.askedFor(piece, 2).memoryMegabytes, 4800.0);
}

} // namespace
} // namespace pathmark::batch
