#include "desk/shell/commands.h"

#include "desk/shell/kept_state.h"
#include "desk/shell/key_sheet.h"
#include "desk/shell/log.h"
#include "tests/support/small_night.h"
#include "tests/support/window_test.h"

#include <QAbstractButton>
#include <QLabel>
#include <QMenu>
#include <QPushButton>
#include <QSettings>
#include <QSplitter>
#include <QToolButton>

#include <gtest/gtest.h>

#include <set>

namespace pathmark::desk {
namespace {

class CommandsTest : public test_support::WindowTest {
  protected:
    void SetUp() override { showWindow(); }

    void TearDown() override { QSettings().clear(); }

    Commands& commands = window.commands();
};

/// Every command can be reached in each of the ways: by a key, in the menu, on the sheet of keys.
TEST_F(CommandsTest, EachHasAKeyAMenuEntryAndALineOnTheSheet) {
    const auto* menu = find<QToolButton>("menu")->menu();
    press(Qt::Key_F1);
    auto* sheet = find<KeySheet>("keys");
    ASSERT_TRUE(sheet->isVisible());
    ASSERT_GT(commands.all().size(), 40U);
    std::set<QString> ids;
    for (const Command& command : commands.all()) {
        const std::string id = command.id.toStdString();
        EXPECT_TRUE(ids.insert(command.id).second) << id;
        EXPECT_FALSE(command.keys.isEmpty()) << id;
        EXPECT_FALSE(command.words.isEmpty()) << id;
        EXPECT_NE(menu->findChild<QAction*>(command.id), nullptr) << id;
        const auto* key = sheet->findChild<QPushButton*>("key_" + command.id);
        ASSERT_NE(key, nullptr) << id;
        EXPECT_EQ(key->text(), Commands::keyText(command)) << id;
        // What means something here is seen at once; the rest is scrolled to.
        if (!command.isValid || command.isValid()) {
            const QRect place(key->mapTo(sheet, QPoint()), key->size());
            EXPECT_TRUE(sheet->rect().contains(place)) << id << " lies outside of the sheet";
        }
    }
    for (const auto* label : sheet->findChildren<QLabel*>()) {
        const int right = label->mapTo(sheet, QPoint(label->sizeHint().width(), 0)).x();
        EXPECT_LE(right, sheet->width()) << label->text().toStdString() << " is cut";
    }
    press(Qt::Key_Escape);
    EXPECT_FALSE(sheet->isVisible());
}

/// A key means one thing in one place.
TEST_F(CommandsTest, NoTwoShareAKeyWhereBothAreValidEverywhere) {
    std::map<QString, QString> owner;
    for (const Command& command : commands.all()) {
        for (const QKeySequence& key : command.keys) {
            if (!command.isValid) {
                const auto [known, isNew] = owner.try_emplace(key.toString(), command.id);
                EXPECT_TRUE(isNew)
                    << key.toString().toStdString() << ": " << known->second.toStdString()
                    << " and " << command.id.toStdString();
            }
        }
    }
}

TEST_F(CommandsTest, AKeyIsChangedOnTheSheetAndStaysChanged) {
    test_support::makeTinyNight(folder.path() / "night");
    window.openNight(QString::fromStdString((folder.path() / "night").string()));
    ASSERT_TRUE(waitFor([&] { return window.session().night() != nullptr; }));
    press(Qt::Key_F1);
    auto* sheet = find<KeySheet>("keys");
    QTest::mouseClick(sheet->findChild<QPushButton*>("key_frame.last"), Qt::LeftButton);
    press(Qt::Key_W);
    EXPECT_EQ(commands.find("frame.last")->keys, QList<QKeySequence>{Qt::Key_W});
    press(Qt::Key_Escape);
    ASSERT_FALSE(sheet->isVisible());
    press(Qt::Key_End);
    EXPECT_EQ(window.session().currentFrame(), 0) << "the first key is free now";
    press(Qt::Key_W);
    EXPECT_EQ(window.session().currentFrame(), 3);
    // Another window is as good as another start.
    MainWindow later;
    EXPECT_EQ(later.commands().find("frame.last")->keys, QList<QKeySequence>{Qt::Key_W});
    // The first key comes back.
    press(Qt::Key_F1);
    QTest::mouseClick(sheet->findChild<QPushButton*>("key_frame.last"), Qt::LeftButton);
    press(Qt::Key_Backspace);
    EXPECT_EQ(commands.find("frame.last")->keys, QList<QKeySequence>{Qt::Key_End});
}

TEST_F(CommandsTest, AKeyThatIsTakenLeavesItsCommandAndIsSaid) {
    EXPECT_EQ(commands.changeKey("sky.north", Qt::Key_X), commands.find("frame.leave-out")->words);
    EXPECT_TRUE(commands.find("frame.leave-out")->keys.isEmpty());
    // A bench may have its own meaning for a key that the window has as well.
    EXPECT_EQ(commands.changeKey("gather.leave-out", Qt::Key_S), QString());
    EXPECT_FALSE(commands.find("sky.stack")->keys.isEmpty());
}

TEST_F(CommandsTest, TooltipsNameTheKeyThatIsSetNow) {
    auto* keep = find<QPushButton>("keep");
    EXPECT_TRUE(keep->toolTip().endsWith("(K)")) << keep->toolTip().toStdString();
    commands.changeKey("measurement.keep", Qt::Key_J);
    EXPECT_TRUE(keep->toolTip().endsWith("(J)")) << keep->toolTip().toStdString();
}

TEST_F(CommandsTest, EveryButtonHasANameForThoseWhoHearTheScreen) {
    const QStringList ofQt{"QTableCornerButton", "QLineEditIconButton"};
    for (const auto* button : window.findChildren<QAbstractButton*>()) {
        if (ofQt.contains(button->metaObject()->className())) {
            continue;
        }
        EXPECT_FALSE(button->accessibleName().isEmpty() && button->text().isEmpty() &&
                     button->toolTip().isEmpty())
            << button->objectName().toStdString() << " in "
            << button->parentWidget()->objectName().toStdString();
    }
}

TEST_F(CommandsTest, AltOpensTheMenuAndAltWithAnotherKeyDoesNot) {
    auto* menu = find<QToolButton>("menu")->menu();
    QTest::keyPress(&window, Qt::Key_Alt, Qt::AltModifier);
    QTest::keyPress(&window, Qt::Key_F7, Qt::AltModifier);
    QTest::keyRelease(&window, Qt::Key_F7, Qt::AltModifier);
    QTest::keyRelease(&window, Qt::Key_Alt);
    EXPECT_FALSE(menu->isVisible());
    bool wasSeen = false;
    QTimer::singleShot(50, [&] {
        wasSeen = menu->isVisible();
        menu->close();
    });
    QTest::keyPress(&window, Qt::Key_Alt, Qt::AltModifier);
    QTest::keyRelease(&window, Qt::Key_Alt);
    EXPECT_TRUE(waitFor([&] { return wasSeen; }, 2000));
}

TEST_F(CommandsTest, TheRoomOfABenchAndTheNightsAreKept) {
    kept::setWidths("report", {150, 400, 730});
    press(Qt::Key_7);
    const QList<int> sizes = window.findChild<QSplitter*>()->sizes();
    EXPECT_NEAR(sizes.back(), 730, 12);
    std::filesystem::create_directories(folder.path() / "a");
    std::filesystem::create_directories(folder.path() / "b");
    for (const char* name : {"a", "b", "a", "gone"}) {
        kept::addRecentNight(QString::fromStdString((folder.path() / name).string()));
    }
    const QStringList nights = kept::recentNights();
    ASSERT_EQ(nights.size(), 2);
    EXPECT_TRUE(nights[0].endsWith("/a"));
}

TEST(LogTest, WhatWentWrongIsInTheFile) {
    const test_support::TemporaryFolder folder;
    startLog(QString::fromStdString(folder.path().string()));
    logProblem("the frame was lost");
    const std::string file = logFile().toStdString();
    stopLog();
    logProblem("after the end");
    std::ifstream stream(file);
    const std::string text{std::istreambuf_iterator<char>(stream), {}};
    EXPECT_NE(text.find("W the frame was lost"), std::string::npos) << text;
    EXPECT_EQ(text.find("after the end"), std::string::npos);
}

} // namespace
} // namespace pathmark::desk
