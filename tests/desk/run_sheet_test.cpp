#include "desk/window/run_sheet.h"

#include "desk/shell/kept_state.h"
#include "tests/support/small_night.h"
#include "tests/support/window_test.h"

#include <QComboBox>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QSettings>

#include <gtest/gtest.h>

#include <filesystem>

namespace pathmark::desk {
namespace {

namespace fs = std::filesystem;

/// A bare folder of frames; catalogue and orbits lie somewhere else, and there is no recipe.
class RunSheetTest : public test_support::WindowTest {
  protected:
    void SetUp() override {
        QSettings().remove("run");
        test_support::makeTinyNight(folder.path() / "made");
        makeBare("night");
        showWindow();
        open("night");
    }

    void TearDown() override { QSettings().remove("run"); }

    void makeBare(const char* name) {
        for (const char* part : {"lights", "calibration"}) {
            fs::create_directories(folder.path() / name);
            fs::copy(folder.path() / "made" / part,
                     folder.path() / name / part,
                     fs::copy_options::recursive);
        }
    }

    void open(const char* name) {
        const fs::path path = folder.path() / name;
        window.openNight(QString::fromStdString(path.string()));
        ASSERT_TRUE(
            waitFor([&] { return session.night() != nullptr && session.night()->folder == path; }));
    }

    [[nodiscard]] RunSheet* sheet() { return window.findChild<RunSheet*>("runSheet"); }

    static void type(QWidget* line, const fs::path& text) {
        QTest::mouseClick(line, Qt::LeftButton);
        QTest::keyClick(line, Qt::Key_A, Qt::ControlModifier);
        QTest::keyClicks(line, QString::fromStdString(text.string()));
    }

    NightSession& session = window.session();
};

/// By mouse and keyboard, from frames alone to measurements: three things are asked, and nothing the second time.
TEST_F(RunSheetTest, WhatIsNotKnownIsAskedOnce) {
    press(Qt::Key_R, Qt::ControlModifier);
    ASSERT_TRUE(waitFor([&] { return sheet() != nullptr && sheet()->isVisible(); }));
    auto* run = sheet()->findChild<QPushButton*>("runNow");
    EXPECT_FALSE(run->isEnabled());
    EXPECT_FALSE(sheet()->findChild<QLabel*>("runProblem")->text().isEmpty());
    type(sheet()->findChild<QLineEdit*>("runSite"), "XXX 23.4127 -31.2086 1374");
    type(sheet()->findChild<QLineEdit*>("runStore"), folder.path() / "made" / "catalog");
    EXPECT_EQ(sheet()->findChild<QComboBox*>("runCatalog")->currentText(), "small");
    type(sheet()->findChild<QLineEdit*>("runOrbits"),
         folder.path() / "made" / "orbits" / "gone.txt");
    EXPECT_FALSE(run->isEnabled()) << "a file that is not there is said";
    type(sheet()->findChild<QLineEdit*>("runOrbits"),
         folder.path() / "made" / "orbits" / "minor-planets.txt");
    ASSERT_TRUE(run->isEnabled());
    QTest::mouseClick(run, Qt::LeftButton);
    ASSERT_TRUE(waitFor([&] { return !session.isRunning() && !session.night()->made->empty(); }));
    EXPECT_TRUE(fs::exists(folder.path() / "night" / "results" / "recipe.toml"));
    // Another night of the same observer.
    makeBare("next");
    open("next");
    press(Qt::Key_R, Qt::ControlModifier);
    EXPECT_TRUE(waitFor([&] { return session.isRunning(); }));
    EXPECT_TRUE(sheet() == nullptr || !sheet()->isVisible());
    EXPECT_TRUE(waitFor([&] { return !session.isRunning() && !session.night()->made->empty(); }));
    // What was told can be changed later in the same place.
    press(Qt::Key_R, Qt::ControlModifier | Qt::ShiftModifier);
    ASSERT_TRUE(waitFor([&] { return sheet() != nullptr && sheet()->isVisible(); }));
    EXPECT_EQ(sheet()->findChild<QLineEdit*>("runSite")->text(), "XXX 23.41270 -31.20860 1374");
    type(sheet()->findChild<QLineEdit*>("runObserver"), "I. Vellamo");
    QTest::mouseClick(sheet()->findChild<QPushButton*>("runNow"), Qt::LeftButton);
    ASSERT_TRUE(waitFor([&] { return session.isRunning(); }));
    ASSERT_TRUE(waitFor([&] { return !session.isRunning(); }));
    EXPECT_EQ(kept::runChoices().observer, "I. Vellamo");
}

TEST_F(RunSheetTest, ASiteThatIsNoneIsSaidAndNotNowRunsNothing) {
    press(Qt::Key_R, Qt::ControlModifier);
    ASSERT_TRUE(waitFor([&] { return sheet() != nullptr && sheet()->isVisible(); }));
    type(sheet()->findChild<QLineEdit*>("runStore"), folder.path() / "made" / "catalog");
    type(sheet()->findChild<QLineEdit*>("runSite"), "12 99");
    EXPECT_FALSE(sheet()->findChild<QPushButton*>("runNow")->isEnabled());
    EXPECT_TRUE(sheet()->findChild<QLabel*>("runProblem")->text().contains("longitude"));
    QTest::keyClick(sheet(), Qt::Key_Escape);
    EXPECT_TRUE(waitFor([&] { return sheet() == nullptr || !sheet()->isVisible(); }));
    EXPECT_FALSE(session.isRunning());
    EXPECT_FALSE(fs::exists(folder.path() / "night" / "results" / "recipe.toml"));
}

} // namespace
} // namespace pathmark::desk
