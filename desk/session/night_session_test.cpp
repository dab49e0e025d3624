#include "desk/session/night_session.h"

#include "core/identify/archive_table.h"
#include "core/night/night_file.h"
#include "tests/support/small_night.h"
#include "tests/support/temporary_folder.h"

#include <QSignalSpy>
#include <QTest>

#include <gtest/gtest.h>

#include <filesystem>
#include <fstream>

namespace pathmark::desk {
namespace {

namespace fs = std::filesystem;

/// The session without a window, on a night that was run once. Tests work on copies.
class NightSessionTest : public testing::Test {
  protected:
    static void SetUpTestSuite() {
        shared_ = new test_support::TemporaryFolder;
        test_support::makeTinyNight(shared_->path() / "night");
        NightSession session;
        session.open(QString::fromStdString((shared_->path() / "night").string()));
        ASSERT_TRUE(waitFor([&] { return session.night() != nullptr; }));
        session.run();
        ASSERT_TRUE(waitFor(
            [&] { return !session.isRunning() && !session.night()->measurements.empty(); }));
    }

    static void TearDownTestSuite() { delete std::exchange(shared_, nullptr); }

    void SetUp() override {
        fs::copy(shared_->path() / "night", folder / "night", fs::copy_options::recursive);
    }

    [[nodiscard]] fs::path night() const { return folder / "night"; }

    void open(NightSession& session) {
        session.open(QString::fromStdString(night().string()));
        ASSERT_TRUE(waitFor([&] { return session.night() != nullptr; }));
    }

    static bool waitFor(const std::function<bool()>& done) { return QTest::qWaitFor(done, 30000); }

    [[nodiscard]] night::NightFile file() const {
        return std::move(*night::NightFile::open(night() / "results" / "night.pmnight"));
    }

    test_support::TemporaryFolder folder;
    static test_support::TemporaryFolder* shared_;
};

test_support::TemporaryFolder* NightSessionTest::shared_ = nullptr;

TEST_F(NightSessionTest, WhatIsNotThereIsSaidAndTheOpenNightStays) {
    NightSession session;
    open(session);
    const auto before = session.snapshot();
    QSignalSpy failed(&session, &NightSession::failed);
    session.open(QString::fromStdString((folder / "nowhere").string()));
    ASSERT_TRUE(waitFor([&] { return !failed.isEmpty(); }));
    EXPECT_TRUE(failed[0][0].toString().contains("nowhere"));
    EXPECT_EQ(session.snapshot(), before);
}

/// A folder of results is the night that they are of.
TEST_F(NightSessionTest, AFolderOfResultsIsItsNight) {
    NightSession session;
    session.open(QString::fromStdString((night() / "results").string()));
    ASSERT_TRUE(waitFor([&] { return session.night() != nullptr; }));
    EXPECT_FALSE(session.night()->lights.empty());
    EXPECT_FALSE(session.night()->measurements.empty());
}

TEST_F(NightSessionTest, OfTwoNightsAskedForQuicklyTheLastIsOpened) {
    fs::copy(night(), folder / "other", fs::copy_options::recursive);
    NightSession session;
    QSignalSpy changed(&session, &NightSession::nightChanged);
    session.open(QString::fromStdString(night().string()));
    session.open(QString::fromStdString((folder / "other").string()));
    ASSERT_TRUE(waitFor([&] { return session.night() != nullptr; }));
    QTest::qWait(200);
    EXPECT_EQ(changed.count(), 1);
    EXPECT_EQ(session.night()->folder, folder / "other");
}

TEST_F(NightSessionTest, SteppingGoesRoundAndPassesOverWhatIsLeftOut) {
    NightSession session;
    open(session);
    const int count = static_cast<int>(session.night()->lights.size());
    ASSERT_EQ(count, 4);
    session.setFrame(1 << 20);
    EXPECT_EQ(session.currentFrame(), 3) << "the last one at most";
    session.step(1);
    EXPECT_EQ(session.currentFrame(), 0);
    session.toggleExcluded(1);
    session.step(1);
    EXPECT_EQ(session.currentFrame(), 2);
    session.step(-1);
    EXPECT_EQ(session.currentFrame(), 0);
    session.setFrame(-7);
    EXPECT_EQ(session.currentFrame(), 0);
}

TEST_F(NightSessionTest, DecisionsAreSeenAtOnceAndAreInTheFileWhenTheSessionEnds) {
    {
        NightSession session;
        open(session);
        session.setBody(session.night()->bodies.front().id);
        const auto m = session.currentMeasurements()[0];
        session.judge(m.id, night::MeasurementState::Dropped);
        EXPECT_EQ(session.currentMeasurements()[0].state, night::MeasurementState::Dropped);
        session.toggleExcluded(0);
        EXPECT_TRUE(session.night()->excluded[0]);
        session.undo();
        EXPECT_FALSE(session.night()->excluded[0]);
        EXPECT_FALSE(session.nextRedo().isEmpty());
    }
    const auto history = file().history().value();
    ASSERT_EQ(history.size(), 2U);
    EXPECT_TRUE(history[0].inForce);
    EXPECT_FALSE(history[1].inForce);
}

/// The command line, or another window, decides in the same night: the next decision here shows theirs too.
TEST_F(NightSessionTest, WhatOthersDecidedMeanwhileIsShown) {
    NightSession session;
    open(session);
    const auto frame = session.night()->lights[2].frame;
    auto other = file();
    ASSERT_TRUE(other.decide({"cloud", {night::LeaveOut{frame, true, "cloud"}}}));
    EXPECT_FALSE(session.night()->excluded[2]);
    session.toggleExcluded(0);
    EXPECT_TRUE(waitFor([&] { return session.night()->excluded[2]; }));
    EXPECT_TRUE(session.night()->excluded[0]);
    EXPECT_EQ(session.night()->history.size(), 2U);
}

TEST_F(NightSessionTest, AKindThatIsDecidedReadsTheNightAgainAndUndoAsWell) {
    NightSession session;
    open(session);
    const auto isDark = [](const auto& group) {
        return group.example.kind == frame::FrameKind::Dark;
    };
    const auto darks = [&] {
        return std::count_if(
            session.night()->groups.begin(), session.night()->groups.end(), isDark);
    };
    const auto first =
        std::find_if(session.night()->groups.begin(), session.night()->groups.end(), isDark);
    ASSERT_NE(first, session.night()->groups.end());
    const auto before = darks();
    session.setKind(static_cast<std::size_t>(first - session.night()->groups.begin()),
                    frame::FrameKind::FlatDark);
    ASSERT_TRUE(waitFor([&] { return darks() == before - 1; }));
    session.undo();
    EXPECT_TRUE(waitFor([&] { return darks() == before; }));
    session.redo();
    EXPECT_TRUE(waitFor([&] { return darks() == before - 1; }));
}

/// A folder in the file's place cannot be written, whoever tries.
TEST_F(NightSessionTest, ANightThatCannotBeWrittenSaysSo) {
    NightSession session;
    open(session);
    QSignalSpy failed(&session, &NightSession::failed);
    session.finishStoring();
    const fs::path path = night() / "results" / "night.pmnight";
    const fs::path aside = night() / "results" / "aside.pmnight";
    fs::rename(path, aside);
    fs::create_directory(path);
    session.toggleExcluded(0);
    ASSERT_TRUE(waitFor([&] { return !failed.isEmpty(); }));
    fs::remove(path);
    fs::rename(aside, path);
    EXPECT_FALSE(failed[0][0].toString().isEmpty());
}

TEST_F(NightSessionTest, WithoutAnythingDecidedUndoSaysSo) {
    NightSession session;
    QSignalSpy notified(&session, &NightSession::notified);
    session.undo(); // no night at all
    open(session);
    session.redo();
    session.undo();
    int nothing = 0;
    for (const auto& said : notified) {
        nothing += said[0].toString().contains("nothing") ? 1 : 0;
    }
    EXPECT_EQ(nothing, 3);
}

TEST_F(NightSessionTest, PicturesComeForTheFrameInHandAndThoseAhead) {
    NightSession session;
    QSignalSpy pictures(&session, &NightSession::pictureChanged);
    open(session);
    ASSERT_TRUE(waitFor([&] { return !pictures.isEmpty(); }));
    QTest::qWait(300); // those ahead are read
    pictures.clear();
    session.step(1);
    EXPECT_EQ(pictures.count(), 1) << "it was read ahead: no waiting";
    const auto picture = pictures[0][0].value<std::shared_ptr<const Picture>>();
    EXPECT_EQ(picture->title.toStdString(), session.night()->lights[1].raw.filename().string());
    ASSERT_TRUE(picture->grid && picture->wcs);
    // Another stretch makes all of them anew.
    session.setBrightness(3);
    ASSERT_TRUE(waitFor([&] { return pictures.count() == 2; }));
    const auto brighter = pictures[1][0].value<std::shared_ptr<const Picture>>();
    EXPECT_NE(brighter->display, picture->display);
    EXPECT_EQ(brighter->title, picture->title);
}

TEST_F(NightSessionTest, AFrameThatCannotBeReadIsSaidOnceAndTheOthersCome) {
    fs::resize_file(fs::path(file().lights().value()[1].calibrated), 4000);
    NightSession session;
    QSignalSpy pictures(&session, &NightSession::pictureChanged);
    QSignalSpy failed(&session, &NightSession::failed);
    open(session);
    session.setFrame(1);
    ASSERT_TRUE(waitFor([&] { return !failed.isEmpty(); }));
    QTest::qWait(200);
    EXPECT_EQ(failed.count(), 1);
    pictures.clear();
    session.setFrame(2);
    EXPECT_TRUE(waitFor([&] { return !pictures.isEmpty(); }));
    session.setFrame(1);
    QTest::qWait(100);
    EXPECT_EQ(failed.count(), 1) << "it is not read again and again";
}

TEST_F(NightSessionTest, RawAndOwnPixelsAreShownOnlyWhileTheyAreWanted) {
    NightSession session;
    QSignalSpy pictures(&session, &NightSession::pictureChanged);
    open(session);
    ASSERT_TRUE(waitFor([&] { return !pictures.isEmpty(); }));
    const auto last = [&] { return pictures.last()[0].value<std::shared_ptr<const Picture>>(); };
    session.setShowsRaw(true);
    ASSERT_TRUE(waitFor([&] { return last()->title.contains("before calibration"); }));
    session.setShowsRaw(false);
    ASSERT_TRUE(waitFor([&] { return !last()->title.contains("before calibration"); }));
    session.setShowsOwnPixels(true);
    ASSERT_TRUE(waitFor([&] { return !last()->wcs; }));
    session.setShowsOwnPixels(false);
    ASSERT_TRUE(waitFor([&] { return last()->wcs.has_value(); }));
    session.setShowsStack(true);
    EXPECT_TRUE(waitFor(
        [&] { return last()->title.contains("tack") || last()->title.contains("motion"); }));
}

/// Truth: the stack's own file, written by the run: noise is the root of its variance, all frames cover its middle.
TEST_F(NightSessionTest, TheMapsOfAStackFollowEachOther) {
    NightSession session;
    QSignalSpy pictures(&session, &NightSession::pictureChanged);
    open(session);
    ASSERT_TRUE(waitFor([&] { return !pictures.isEmpty(); }));
    const auto last = [&] { return pictures.last()[0].value<std::shared_ptr<const Picture>>(); };
    session.setBody(night::BodyId::of("2034 EW2"));
    session.setShowsStack(true);
    ASSERT_TRUE(waitFor([&] { return last()->title.contains("motion"); }));
    const frame::Image light = last()->values;
    const auto middle = [&] { return last()->values.at(200, 200); };
    for (const auto& [word, least, most] : {std::tuple{"noise", 0.5F, 50.0F},
                                            {"coverage", 0.99F, 1.01F},
                                            {"clipped below", 0.0F, 4.0F},
                                            {"clipped above", 0.0F, 4.0F}}) {
        session.nextStackMap();
        ASSERT_TRUE(waitFor([&, named = word] { return last()->title.contains(named); })) << word;
        EXPECT_GE(middle(), least) << word;
        EXPECT_LE(middle(), most) << word;
        EXPECT_EQ(last()->values.width(), light.width());
    }
    session.nextStackMap();
    ASSERT_TRUE(waitFor([&] { return last()->values.at(200, 200) == light.at(200, 200); }));
    EXPECT_FALSE(last()->title.contains("clipped"));
}

TEST_F(NightSessionTest, WithoutARecipeWhatIsNotKnownIsAskedOnceBeforeARun) {
    fs::remove(night() / "recipe.toml");
    fs::remove_all(night() / "results");
    NightSession session;
    open(session);
    QSignalSpy asked(&session, &NightSession::factsAsked);
    session.run();
    EXPECT_FALSE(session.isRunning());
    EXPECT_EQ(asked.count(), 1);
    session.knownFacts().setFetches(false);
    session.run();
    EXPECT_TRUE(session.isRunning());
    EXPECT_EQ(asked.count(), 1);
    session.stop();
    EXPECT_TRUE(waitFor([&] { return !session.isRunning(); }));
    session.knownFacts().setFetches(true);
}

TEST_F(NightSessionTest, ABodyThatIsNotInTheFrameInHandLeadsToOneThatShowsIt) {
    NightSession session;
    open(session);
    auto where = [&](const orbit::BodyId& body) {
        std::vector<int> frames;
        for (const auto& p : session.night()->predictions) {
            if (p.body == body) {
                frames.push_back(session.night()->placeOf(p.frame));
            }
        }
        return frames;
    };
    for (const BodyView& body : session.night()->bodies) {
        session.setBody(body.id);
        const auto frames = where(body.id);
        if (!frames.empty()) {
            EXPECT_NE(std::find(frames.begin(), frames.end(), session.currentFrame()), frames.end())
                << body.name;
        }
    }
}

TEST_F(NightSessionTest, AnArchivesListDecidesAndRunsNothing) {
    identify::ArchiveRow row;
    row.body = "(2711043)";
    row.file = "gone.fits";
    row.middle = Utc::julian(2464041.5);
    row.sky = skyDegrees(177.0, 2.0);
    std::ofstream(folder / "list.csv") << identify::toArchiveCsv({&row, 1});
    NightSession session;
    QSignalSpy failed(&session, &NightSession::failed);
    session.open(QString::fromStdString((folder / "list.csv").string()));
    ASSERT_TRUE(waitFor([&] { return session.night() != nullptr; }));
    EXPECT_EQ(session.night()->predictions.size(), 1U);
    failed.clear();
    session.run();
    EXPECT_FALSE(session.isRunning());
    session.switchObservation("o", true);
    EXPECT_EQ(failed.count(), 2);
    EXPECT_TRUE(session.night()->history.empty());
}

} // namespace
} // namespace pathmark::desk
