#include "desk/bodies/bodies_list.h"
#include "desk/evidence/cutout_strip.h"
#include "desk/evidence/evidence_panel.h"
#include "desk/report/report_bench.h"
#include "desk/report/report_model.h"
#include "desk/ribbon/frame_ribbon.h"
#include "desk/route/route_bar.h"
#include "desk/sky/sky_view.h"
#include "tests/support/small_night.h"
#include "tests/support/window_test.h"

#include <QApplication>
#include <QClipboard>
#include <QFileDialog>
#include <QLineEdit>
#include <QMessageBox>
#include <QPlainTextEdit>
#include <QPushButton>
#include <QTableView>
#include <QTest>
#include <QTimer>

#include <gtest/gtest.h>

#include <algorithm>
#include <fstream>
#include <iterator>

namespace pathmark::desk {
namespace {

/// Types into the next file dialog and accepts it; a dialog that never came fails the test.
class ModalAnswer {
  public:
    explicit ModalAnswer(const QString& text) : text_(text) {
        timer_.setInterval(20);
        QObject::connect(&timer_, &QTimer::timeout, [this] {
            auto* dialog = qobject_cast<QFileDialog*>(QApplication::activeModalWidget());
            if (dialog == nullptr || answered_) {
                return;
            }
            auto* edit = dialog->findChild<QLineEdit*>();
            // Pasted at once: the dialog's completion changes what is typed letter by letter.
            QApplication::clipboard()->setText(text_);
            edit->selectAll();
            QTest::keyClick(edit, Qt::Key_V, Qt::ControlModifier);
            answered_ = true;
            QTest::keyClick(edit, Qt::Key_Return);
        });
        timer_.start();
    }

    ~ModalAnswer() { EXPECT_TRUE(answered_) << "no dialog came"; }

    ModalAnswer(const ModalAnswer&) = delete;
    ModalAnswer& operator=(const ModalAnswer&) = delete;

  private:
    QString text_;
    QTimer timer_;
    bool answered_ = false;
};

class WayThroughTest : public test_support::WindowTest {
  protected:
    void SetUp() override {
        test_support::makeSmallNight(folder.path() / "night");
        showWindow();
    }
};

TEST_F(WayThroughTest, FromTheFolderToTheSavedReport) {
    const NightSession& session = window.session();
    auto* sky = find<SkyView>("sky");
    auto* ribbon = find<FrameRibbon>("ribbon");
    auto* route = find<RouteBar>("route");
    // Open the folder through the dialog.
    {
        ModalAnswer answer(QString::fromStdString((folder.path() / "night").string()));
        press(Qt::Key_O, Qt::ControlModifier);
    }
    ASSERT_TRUE(waitFor([&] { return session.night() != nullptr && sky->picture() != nullptr; }));
    EXPECT_EQ(session.night()->folder, folder.path() / "night");
    EXPECT_EQ(session.night()->lights.size(), 6U);
    EXPECT_EQ(route->state(Stage::Solve), StageState::Empty);

    // Run the night with the mouse; the window stays alive all the while: one that waits for a lock of the run has no turn left.
    QTest::mouseClick(find<QPushButton>("run"), Qt::LeftButton);
    ASSERT_TRUE(waitFor([&] { return session.isRunning(); }));
    int turns = 0;
    QTimer turn;
    QObject::connect(&turn, &QTimer::timeout, [&] { turns += session.isRunning() ? 1 : 0; });
    turn.start(10);
    ASSERT_TRUE(
        waitFor([&] { return !session.isRunning() && !session.night()->measurements.empty(); }));
    turn.stop();
    EXPECT_GE(turns, 10);
    EXPECT_EQ(route->state(Stage::Solve), StageState::Done);
    EXPECT_FALSE(window.message().startsWith("△")) << window.message().toStdString();

    // Step the frames on the ribbon: the stars stay put, through the flip as well.
    ASSERT_TRUE(
        waitFor([&] { return sky->picture() != nullptr && sky->picture()->wcs.has_value(); }));
    const auto& lights = session.night()->lights;
    QTest::mouseClick(ribbon, Qt::LeftButton, {}, ribbon->cellRect(0).center().toPoint());
    ASSERT_TRUE(waitFor([&] { return sky->picture()->title == "east_001.fits"; }));
    const QPointF before = sky->toWidget(*sky->picture()->wcs->toPixel(skyDegrees(177.24, 2.33)));
    QTest::mouseClick(ribbon, Qt::LeftButton, {}, ribbon->cellRect(5).center().toPoint());
    ASSERT_TRUE(waitFor([&] { return sky->picture()->title == "west_003.fits"; }));
    const QPointF after = sky->toWidget(*sky->picture()->wcs->toPixel(skyDegrees(177.24, 2.33)));
    EXPECT_LT((after - before).manhattanLength(), 0.5);
    press(Qt::Key_Left);
    EXPECT_EQ(session.currentFrame(), static_cast<int>(lights.size()) - 2);
    press(Qt::Key_Space);
    EXPECT_TRUE(
        waitFor([&] { return session.currentFrame() != static_cast<int>(lights.size()) - 2; }));
    press(Qt::Key_Space);

    // Pick the faint body with the mouse and look at its stack.
    auto* bodies = find<BodiesList>("bodies");
    const auto names = bodies->shown();
    const auto faint = std::find(names.begin(), names.end(), night::BodyId::of("2034 EW2"));
    ASSERT_NE(faint, names.end());
    const auto row = static_cast<int>(faint - names.begin());
    QTest::mouseClick(bodies->viewport(),
                      Qt::LeftButton,
                      {},
                      bodies->visualRect(bodies->model()->index(row, 0)).center());
    EXPECT_EQ(session.currentBody(), night::BodyId::of("2034 EW2"));
    press(Qt::Key_S);
    EXPECT_TRUE(waitFor([&] { return sky->picture()->title.contains("on its motion"); }));
    press(Qt::Key_S);

    // The bright one with the keys: drop its first measurement, undo that, park the second.
    for (int i = 0; i < 5 && session.currentBody() != night::BodyId::of("2711043"); ++i) {
        press(Qt::Key_Up);
    }
    ASSERT_EQ(session.currentBody(), night::BodyId::of("2711043"));
    auto* strip = find<CutoutStrip>("cutouts");
    EXPECT_TRUE(waitFor([&] { return strip->loaded() == 6; }));
    QTest::mouseClick(strip, Qt::LeftButton, {}, strip->cellRect(1).center());
    // Sky, Ribbon and Evidence speak of the same frame, whichever of them is worked.
    const auto* evidence = find<EvidencePanel>("evidence");
    const auto currentFrame = [&] {
        return session.night()->lights[static_cast<std::size_t>(session.currentFrame())].frame;
    };
    EXPECT_EQ(evidence->chosen().frame, currentFrame());
    EXPECT_EQ(ribbon->selected(), session.currentFrame());
    press(Qt::Key_Right);
    EXPECT_EQ(strip->chosen(), 2);
    EXPECT_EQ(evidence->chosen().frame, currentFrame());
    press(Qt::Key_Left);
    ASSERT_EQ(strip->chosen(), 1);
    press(Qt::Key_D);
    EXPECT_EQ(session.currentMeasurements()[1].state, night::MeasurementState::Dropped);
    press(Qt::Key_Z, Qt::ControlModifier);
    EXPECT_EQ(session.currentMeasurements()[1].state, night::MeasurementState::Kept);
    press(Qt::Key_Period);
    QTest::mouseClick(find<QPushButton>("park"), Qt::LeftButton);
    EXPECT_EQ(session.currentMeasurements()[2].state, night::MeasurementState::Parked);

    // The report as it will be sent, without the parked one; then saved.
    QTest::mouseClick(route, Qt::LeftButton, {}, route->markPoint(Stage::Report).toPoint());
    auto* report = find<ReportBench>("reportBench");
    ASSERT_TRUE(report->isVisible());
    QTest::mouseClick(find<QPushButton>("format_80"), Qt::LeftButton);
    auto* lines = find<QTableView>("reportLines");
    EXPECT_TRUE(waitFor([&] { return report->text().count("~8lyV") == 5; }));
    // Up and down go through the lines, and the Sky and Evidence with them.
    const int rows = lines->model()->rowCount();
    ASSERT_GT(rows, 5);
    press(Qt::Key_Down);
    press(Qt::Key_Down);
    EXPECT_EQ(lines->currentIndex().row(), 1);
    const auto cell = [&](int at, int column) {
        return lines->model()->index(at, column).data().toString();
    };
    EXPECT_EQ(cell(1, ReportModel::Body).toStdString(), session.currentBody().text());
    EXPECT_TRUE(waitFor([&] {
        return !lines->model()
                    ->index(1, ReportModel::Cutout)
                    .data(Qt::DecorationRole)
                    .value<QImage>()
                    .isNull();
    }));
    // It opens on the line of the frame in hand.
    press(Qt::Key_1);
    press(Qt::Key_Home);
    press(Qt::Key_7);
    EXPECT_TRUE(waitFor([&] {
        const auto* model = dynamic_cast<const ReportModel*>(lines->model());
        const int at = lines->currentIndex().row();
        return at >= 0 && model->line(at).measurement.frame == currentFrame() &&
               model->line(at).measurement.body == session.currentBody();
    }));
    // What is dropped here is no line any more, until it is taken back.
    press(Qt::Key_D);
    EXPECT_TRUE(waitFor([&] { return lines->model()->rowCount() == rows - 1; }));
    press(Qt::Key_Z, Qt::ControlModifier);
    EXPECT_TRUE(waitFor([&] { return lines->model()->rowCount() == rows; }));
    EXPECT_FALSE(report->showsText());
    press(Qt::Key_E);
    EXPECT_TRUE(report->showsText());
    const auto saved = folder.path() / "night" / "results" / "report.80.txt";
    std::filesystem::remove(saved);
    press(Qt::Key_S, Qt::ControlModifier);
    ASSERT_TRUE(waitFor([&] { return std::filesystem::exists(saved); }));
    std::ifstream stream(saved);
    const std::string text{std::istreambuf_iterator<char>(stream), {}};
    EXPECT_EQ(QString::fromStdString(text), report->text());
    EXPECT_NE(text.find("~8lyV"), std::string::npos);

    // Every bench is opened once more.
    for (const int stage : {Qt::Key_1, Qt::Key_2, Qt::Key_3, Qt::Key_4, Qt::Key_5, Qt::Key_6}) {
        press(stage);
        QTest::qWait(30);
    }
}

/// Another night is asked for while one is run: the run goes on or is stopped as the observer says, and the other is there at once.
TEST_F(WayThroughTest, OpeningAnotherNightDuringARunAsksToStopIt) {
    const NightSession& session = window.session();
    const auto first = folder.path() / "night";
    const auto other = folder.path() / "other";
    test_support::makeSmallNight(other);
    window.openNight(QString::fromStdString(first.string()));
    ASSERT_TRUE(waitFor([&] { return session.night() != nullptr; }));
    press(Qt::Key_R, Qt::ControlModifier);
    ASSERT_TRUE(session.isRunning());
    const auto answer = [&](QMessageBox::ButtonRole role) {
        auto* question = window.findChild<QMessageBox*>("stopAndOpen");
        ASSERT_NE(question, nullptr);
        for (QAbstractButton* button : question->buttons()) {
            if (question->buttonRole(button) == role) {
                QTest::mouseClick(button, Qt::LeftButton);
                return;
            }
        }
    };
    window.openNight(QString::fromStdString(other.string()));
    answer(QMessageBox::RejectRole);
    EXPECT_TRUE(session.isRunning());
    EXPECT_EQ(session.night()->folder, first);
    ASSERT_TRUE(waitFor([&] { return window.findChild<QMessageBox*>("stopAndOpen") == nullptr; }));
    window.openNight(QString::fromStdString(other.string()));
    answer(QMessageBox::AcceptRole);
    EXPECT_FALSE(session.isRunning());
    ASSERT_TRUE(waitFor([&] { return session.night()->folder == other; }));
    // What the stopped run still says is of no interest any more.
    QTest::qWait(200);
    EXPECT_EQ(session.night()->folder, other);
    EXPECT_FALSE(session.isRunning());
    // The new one can be run, once the old one has let go.
    press(Qt::Key_R, Qt::ControlModifier);
    EXPECT_TRUE(
        waitFor([&] { return !session.isRunning() && !session.night()->measurements.empty(); }));
}

TEST_F(WayThroughTest, ARunCanBeStoppedAndGoesOn) {
    window.openNight(QString::fromStdString((folder.path() / "night").string()));
    ASSERT_TRUE(waitFor([&] { return window.session().night() != nullptr; }));
    press(Qt::Key_R, Qt::ControlModifier);
    ASSERT_TRUE(window.session().isRunning());
    press(Qt::Key_Escape);
    ASSERT_TRUE(waitFor([&] { return !window.session().isRunning(); }));
    EXPECT_TRUE(waitFor([&] {
        return window.message().contains("Stopped") || window.message().contains("Run (Ctrl+R)");
    })) << window.message().toStdString();
    press(Qt::Key_R, Qt::ControlModifier);
    ASSERT_TRUE(waitFor([&] {
        return !window.session().isRunning() && !window.session().night()->measurements.empty();
    }));
}

TEST_F(WayThroughTest, MarksHideWhileTheKeyIsHeld) {
    auto* sky = find<SkyView>("sky");
    QTest::keyPress(&window, Qt::Key_H);
    EXPECT_TRUE(sky->marksHidden());
    QTest::keyRelease(&window, Qt::Key_H);
    EXPECT_FALSE(sky->marksHidden());
}

TEST_F(WayThroughTest, AFolderWithoutFramesIsSaid) {
    std::filesystem::create_directories(folder.path() / "empty");
    window.openNight(QString::fromStdString((folder.path() / "empty").string()));
    EXPECT_TRUE(waitFor([&] { return window.message().contains("no frame"); }))
        << window.message().toStdString();
}

} // namespace
} // namespace pathmark::desk
