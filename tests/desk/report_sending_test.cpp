#include "desk/report/report_bench.h"
#include "desk/report/report_model.h"
#include "standin/report_desk.h"
#include "tests/support/small_night_window.h"

#include <QApplication>
#include <QComboBox>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QTableView>
#include <QTableWidget>

#include <gtest/gtest.h>

#include <cstdlib>
#include <fstream>

namespace pathmark::desk {
namespace {

using standin::DeskFault;
using standin::ReportDesk;

/// A night that was run, its report on the screen, and a report desk that the services name.
class ReportSendingTest : public test_support::SmallNightWindowTest {
  protected:
    void SetUp() override {
        const auto settings = folder.path() / "settings" / "pathmark";
        std::filesystem::create_directories(settings);
        standin::DeskOptions options;
        options.structure = std::filesystem::path(PATHMARK_SOURCE_DIR) / "data" / "ades-2022.xsd";
        desk = std::make_unique<ReportDesk>(options);
        std::ofstream(settings / "services.toml") << "reports = \"" << desk->address() << "\"\n";
        setenv("XDG_CONFIG_HOME", (folder.path() / "settings").c_str(), 1);
        test_support::SmallNightWindowTest::SetUp();
        // A copy: what is sent of it is sent.
        const auto copy = folder.path() / "copy.pmnight";
        std::filesystem::copy_file(night() / "results" / "night.pmnight", copy);
        open(copy);
        press(Qt::Key_7);
        ASSERT_TRUE(waitFor([&] { return model()->rowCount() > 0; }));
    }

    static void TearDownTestSuite() {
        unsetenv("XDG_CONFIG_HOME");
        test_support::SmallNightWindowTest::TearDownTestSuite();
    }

    QTableView* table() { return find<QTableView>("reportLines"); }

    const ReportModel* model() { return dynamic_cast<const ReportModel*>(table()->model()); }

    const night::ReportLine& current() { return model()->line(table()->currentIndex().row()).line; }

    void type(const char* words) { QTest::keyClicks(QApplication::focusWidget(), words); }

    /// As a person would: the next line that is in doubt, and a reason for it and all like it.
    void waiveAll() {
        for (int i = 0; i < 20 && model()->warned() > 0; ++i) {
            const int before = model()->warned();
            press(Qt::Key_Down, Qt::ShiftModifier);
            ASSERT_TRUE(current().isDoubted());
            press(Qt::Key_W);
            ASSERT_EQ(QApplication::focusWidget(), find<QLineEdit>("waiveReason"));
            type("looked at twice");
            press(Qt::Key_Return, Qt::ShiftModifier);
            ASSERT_TRUE(waitFor([&] { return model()->warned() < before; }));
        }
        ASSERT_EQ(model()->warned(), 0);
    }

    std::unique_ptr<ReportDesk> desk;
};

TEST_F(ReportSendingTest, NothingLeavesWithoutALookAndAKey) {
    waiveAll();
    auto* question = find<QLabel>("sendQuestion");
    press(Qt::Key_Return, Qt::ControlModifier);
    ASSERT_TRUE(question->isVisible());
    EXPECT_TRUE(question->text().contains(QString::fromStdString(desk->address())));
    press(Qt::Key_Escape);
    EXPECT_FALSE(question->isVisible());
    EXPECT_EQ(desk->posts(), 0);
    press(Qt::Key_Return, Qt::ControlModifier);
    press(Qt::Key_Return);
    auto* sent = find<QTableWidget>("sendings");
    ASSERT_TRUE(
        waitFor([&] { return sent->rowCount() == 1 && sent->item(0, 2)->text() == "● taken"; }));
    EXPECT_EQ(sent->item(0, 3)->text(), "R-000001");
    EXPECT_EQ(desk->posts(), 1);
    EXPECT_EQ(sent->item(0, 1)->text().toInt(), model()->rowCount());
    // A second time nothing is left.
    press(Qt::Key_Return, Qt::ControlModifier);
    EXPECT_FALSE(question->isVisible());
    EXPECT_EQ(desk->posts(), 1);
}

TEST_F(ReportSendingTest, ADoubtHoldsItAndTheWordsSaySo) {
    ASSERT_GT(model()->warned(), 0) << "the new body was seen on one night";
    press(Qt::Key_Return, Qt::ControlModifier);
    EXPECT_FALSE(find<QLabel>("sendQuestion")->isVisible());
    EXPECT_TRUE(window.message().contains("in doubt")) << window.message().toStdString();
    EXPECT_EQ(desk->posts(), 0);
}

/// By the keys alone, and by the mouse alone.
TEST_F(ReportSendingTest, ABandIsMendedInItsLine) {
    NightSession& session = window.session();
    const auto spoil = [&](int row) {
        night::LineCorrection wrong;
        wrong.band = "CV";
        session.decide({"spoil", {night::CorrectLine{model()->line(row).line.measurement, wrong}}});
    };
    const int before = model()->warned();
    spoil(0);
    spoil(1);
    ASSERT_TRUE(waitFor([&] { return model()->warned() == before + 2; }));
    table()->selectRow(0);
    press(Qt::Key_M);
    auto* band = find<QComboBox>("mendBand");
    ASSERT_EQ(QApplication::focusWidget(), band);
    press(Qt::Key_R);
    ASSERT_EQ(band->currentText(), "R");
    press(Qt::Key_Return);
    ASSERT_TRUE(waitFor([&] { return model()->warned() == before + 1; }));
    EXPECT_EQ(model()->line(0).line.observation.band, "R");
    EXPECT_EQ(QApplication::focusWidget(), table()) << "the hand goes back to the lines";
    table()->selectRow(1);
    QTest::mouseClick(find<QPushButton>("placeAlone"), Qt::LeftButton);
    ASSERT_TRUE(waitFor([&] { return model()->warned() == before; }));
    EXPECT_FALSE(model()->line(1).line.observation.magnitude);
    // Both can be taken back.
    press(Qt::Key_Z, Qt::ControlModifier);
    ASSERT_TRUE(waitFor([&] { return model()->warned() == before + 1; }));
}

TEST_F(ReportSendingTest, ANewBodyGetsTheObserversName) {
    NightSession& session = window.session();
    orbit::BodyId body;
    for (const night::MeasurementRecord& m : session.night()->measurements) {
        if (m.candidate && m.seen) {
            body = m.body;
            session.judge(m.id, night::MeasurementState::Kept);
        }
    }
    ASSERT_TRUE(body.isKnown());
    int row = -1;
    ASSERT_TRUE(waitFor([&] {
        for (int i = 0; i < model()->rowCount(); ++i) {
            row = model()->line(i).measurement.body == body ? i : row;
        }
        return row >= 0;
    }));
    window.session().decide({"name", {night::NameCandidate{body, "much too long a name"}}});
    const auto hasDoubt = [&] {
        const auto& doubts = model()->line(row).line.doubts;
        return std::any_of(doubts.begin(), doubts.end(), [](const night::Doubt& doubt) {
            return doubt.kind == night::DoubtKind::OwnName;
        });
    };
    ASSERT_TRUE(waitFor(hasDoubt));
    table()->selectRow(row);
    QTest::mouseClick(find<QLineEdit>("mendName"), Qt::LeftButton);
    type("Fox12");
    QTest::mouseClick(find<QPushButton>("sayName"), Qt::LeftButton);
    ASSERT_TRUE(waitFor([&] { return !hasDoubt(); }));
    EXPECT_EQ(model()->line(row).line.observation.body, "Fox12");
}

/// What broke off is asked about by one key, and stands there with its receipt.
TEST_F(ReportSendingTest, WhatBrokeOffGoesOn) {
    waiveAll();
    desk->setFault(DeskFault::ClosesAfter);
    press(Qt::Key_Return, Qt::ControlModifier);
    press(Qt::Key_Return);
    auto* sent = find<QTableWidget>("sendings");
    ASSERT_TRUE(
        waitFor([&] { return sent->rowCount() == 1 && sent->item(0, 2)->text().startsWith("△"); }));
    EXPECT_TRUE(find<QPushButton>("sendGoOn")->isVisible());
    press(Qt::Key_Return, Qt::ControlModifier | Qt::ShiftModifier);
    ASSERT_TRUE(waitFor([&] { return sent->item(0, 2)->text() == "● taken"; }, 10000))
        << window.message().toStdString() << sent->item(0, 2)->text().toStdString();
    EXPECT_EQ(desk->repeats(), 0);
    EXPECT_EQ(desk->posts(), 1);
}

/// A desk that cannot tell: the observer does.
TEST_F(ReportSendingTest, TheObserverSaysWhatBecameOfIt) {
    waiveAll();
    desk->setFault(DeskFault::Mute);
    press(Qt::Key_Return, Qt::ControlModifier);
    press(Qt::Key_Return);
    auto* sent = find<QTableWidget>("sendings");
    ASSERT_TRUE(
        waitFor([&] { return sent->rowCount() == 1 && sent->item(0, 2)->text().startsWith("△"); }));
    QTest::mouseClick(
        sent->viewport(), Qt::LeftButton, {}, sent->visualItemRect(sent->item(0, 0)).center());
    auto* arrived = find<QPushButton>("sendArrived");
    ASSERT_TRUE(arrived->isVisible());
    ASSERT_TRUE(waitFor([&] { return arrived->isEnabled(); }));
    QTest::mouseClick(arrived, Qt::LeftButton);
    ASSERT_TRUE(waitFor([&] { return sent->item(0, 2)->text() == "● taken"; }));
}

} // namespace
} // namespace pathmark::desk
