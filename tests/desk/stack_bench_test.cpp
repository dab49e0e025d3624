#include "desk/stack/stack_bench.h"

#include "core/night/night_file.h"
#include "desk/ribbon/frame_ribbon.h"
#include "desk/stack/motion_plane_view.h"
#include "desk/stack/path_plot.h"
#include "desk/stack/stack_session.h"
#include "tests/support/small_night_window.h"

#include <QLabel>
#include <QPushButton>
#include <QScrollArea>
#include <QTest>
#include <QWheelEvent>
#include <qcustomplot.h>

#include <gtest/gtest.h>

#include <cmath>

namespace pathmark::desk {
namespace {

/// At the bench of stacking.
class StackBenchTest : public test_support::SmallNightWindowTest {
  protected:
    void SetUp() override {
        SmallNightWindowTest::SetUp();
        open(night());
        plane = find<MotionPlaneView>("motionPlane");
        stack = find<StackBench>("stackBench")->findChild<StackSession*>();
        ASSERT_NE(stack, nullptr);
    }

    void take(const std::string& name) {
        window.session().setBody(night::BodyId::of(name));
        press(Qt::Key_5);
        ASSERT_TRUE(waitFor([&] { return stack->views() != nullptr; }));
        // The bench is laid out anew for its words.
        ASSERT_TRUE(waitFor([&] { return plane->height() == plane->sizeHint().height(); }));
    }

    [[nodiscard]] QString words() { return find<QLabel>("stackWords")->text(); }

    MotionPlaneView* plane = nullptr;
    StackSession* stack = nullptr;
};

TEST_F(StackBenchTest, TheFramesShowTheMotionOfTheOrbit) {
    take("(2711043)");
    ASSERT_TRUE(stack->survey()->fitted);
    const auto& fitted = *stack->survey()->fitted;
    const auto& predicted = stack->frames()->predicted();
    EXPECT_NEAR(
        fitted.motion.east, predicted.east, 5.0 * std::sqrt(fitted.covariance.east) + 0.002);
    EXPECT_NEAR(
        fitted.motion.north, predicted.north, 5.0 * std::sqrt(fitted.covariance.north) + 0.002);
    EXPECT_GT(fitted.snr, 20.0);
    EXPECT_TRUE(words().contains("±")) << words().toStdString();
    EXPECT_DOUBLE_EQ(plane->motion().east, predicted.east) << "the orbit's is in hand first";
}

TEST_F(StackBenchTest, TheHandDragsTheMotionAndTheViewFollows) {
    take("(2711043)");
    const double first = stack->views()->snr;
    const QPoint from = plane->placeOf(plane->motion()).toPoint();
    QTest::mousePress(plane, Qt::LeftButton, {}, from);
    QTest::mouseMove(plane, from + QPoint(40, -30));
    QTest::mouseRelease(plane, Qt::LeftButton, {}, from + QPoint(40, -30));
    // East is to the left, north up.
    EXPECT_LT(stack->motion().east, stack->frames()->predicted().east);
    EXPECT_GT(stack->motion().north, stack->frames()->predicted().north);
    ASSERT_TRUE(waitFor([&] { return stack->views()->motion.east == stack->motion().east; }));
    EXPECT_LT(stack->views()->snr, 0.6 * first);
    const QPointF there = plane->placeOf(plane->motion());
    EXPECT_NEAR(there.x(), from.x() + 40, 1.0);
    EXPECT_NEAR(there.y(), from.y() - 30, 1.0);
    // Back by keys: the orbit's motion, the frames'.
    press(Qt::Key_O);
    EXPECT_DOUBLE_EQ(stack->motion().east, stack->frames()->predicted().east);
    press(Qt::Key_M);
    EXPECT_DOUBLE_EQ(stack->motion().east, stack->survey()->fitted->motion.east);
    ASSERT_TRUE(waitFor([&] { return stack->views()->motion.east == stack->motion().east; }));
    EXPECT_GT(stack->views()->snr, 0.98 * first);
}

TEST_F(StackBenchTest, KeysAndTheWheelWorkOnThePlane) {
    take("(2711043)");
    QTest::mouseClick(plane, Qt::LeftButton, {}, plane->placeOf(plane->motion()).toPoint());
    EXPECT_TRUE(plane->hasFocus());
    const double before = stack->motion().east;
    const int frame = window.session().currentFrame();
    press(Qt::Key_Left);
    EXPECT_GT(stack->motion().east, before);
    EXPECT_EQ(window.session().currentFrame(), frame) << "the key belongs to the plane";
    const double width = stack->survey()->halfWidth;
    const QPointF middle = plane->rect().center();
    QWheelEvent narrower(middle,
                         plane->mapToGlobal(middle),
                         {},
                         {0, 120},
                         Qt::NoButton,
                         Qt::NoModifier,
                         Qt::NoScrollPhase,
                         false);
    QApplication::sendEvent(plane, &narrower);
    ASSERT_TRUE(waitFor([&] { return stack->survey()->halfWidth < width; }));
    EXPECT_NEAR(stack->survey()->halfWidth, 0.8 * width, 1e-9);
}

TEST_F(StackBenchTest, ReturnShowsTheStackInTheSky) {
    take("(2711043)");
    QString title;
    QObject::connect(&window.session(),
                     &NightSession::pictureChanged,
                     &window,
                     [&](const std::shared_ptr<const Picture>& picture) {
                         title = picture ? picture->title : QString();
                     });
    press(Qt::Key_Return);
    EXPECT_TRUE(title.contains("2711043") && title.contains("\"/min")) << title.toStdString();
    press(Qt::Key_Right);
    EXPECT_TRUE(waitFor([&] { return title.endsWith(".fits"); })) << title.toStdString();
}

TEST_F(StackBenchTest, TheMotionInHandIsTakenIntoTheNextRun) {
    take("(2711043)");
    auto& session = window.session();
    const auto decided = [&] { return session.night()->decided->motions; };
    press(Qt::Key_A);
    EXPECT_TRUE(decided().empty()) << "it is on its orbit's already";
    press(Qt::Key_M);
    press(Qt::Key_A);
    ASSERT_EQ(decided().size(), 1U);
    EXPECT_EQ(decided().begin()->first.first, night::BodyId::of("(2711043)"));
    const auto& fitted = *stack->survey()->fitted;
    EXPECT_NEAR(decided().begin()->second.eastArcsecPerMin,
                fitted.motion.east - stack->frames()->predicted().east,
                1e-12);
    EXPECT_TRUE(words().contains("next run")) << words().toStdString();
    press(Qt::Key_Z, Qt::ControlModifier);
    EXPECT_TRUE(decided().empty());
    EXPECT_FALSE(words().contains("next run")) << words().toStdString();
    press(Qt::Key_A);
    press(Qt::Key_O);
    press(Qt::Key_A);
    EXPECT_TRUE(decided().empty()) << "on its orbit again";
}

/// What is then seen of the stars is MovingFramesTest's.
TEST_F(StackBenchTest, TheStarsAreSeenWhileTheKeyIsHeld) {
    take("(2711043)");
    const auto title = [&] { return find<QLabel>("stackTitle")->text(); };
    const auto before = stack->views();
    QTest::keyPress(&window, Qt::Key_B);
    EXPECT_TRUE(stack->showsStars());
    ASSERT_TRUE(waitFor([&] { return stack->views() != before; }));
    EXPECT_TRUE(title().contains("with its stars")) << title().toStdString();
    const auto during = stack->views();
    QTest::keyRelease(&window, Qt::Key_B);
    EXPECT_FALSE(stack->showsStars());
    ASSERT_TRUE(waitFor([&] { return stack->views() != during; }));
    EXPECT_FALSE(title().contains("stars")) << title().toStdString();
    // Elsewhere the key means the frame before calibration.
    press(Qt::Key_6);
    QTest::keyPress(&window, Qt::Key_B);
    EXPECT_FALSE(stack->showsStars());
    QTest::keyRelease(&window, Qt::Key_B);
}

TEST_F(StackBenchTest, FramesThatAreLeftOutAreNotAdded) {
    take("(2711043)");
    const int all = stack->frames()->count();
    window.session().toggleExcluded(0);
    ASSERT_TRUE(
        waitFor([&] { return stack->frames() != nullptr && stack->frames()->count() == all - 1; }));
    window.session().undo();
    ASSERT_TRUE(
        waitFor([&] { return stack->frames() != nullptr && stack->frames()->count() == all; }));
}

TEST_F(StackBenchTest, APointOfThePathTakesItsFrameInHand) {
    take("(2711043)");
    auto* path = find<PathPlot>("pathPlot");
    ASSERT_FALSE(path->sets()[0].points.empty()) << "the body was measured";
    const PlotPoint last = path->sets()[0].points.back();
    const night::FrameId frame = *path->frameOf(last.id);
    ASSERT_NE(window.session().currentLight()->frame, frame);
    find<QScrollArea>("stackBench")->ensureWidgetVisible(path);
    QTest::qWait(50);
    auto* canvas = path->findChild<QCustomPlot*>();
    QTest::mouseClick(canvas,
                      Qt::LeftButton,
                      {},
                      canvas->mapFrom(path, path->placeOf(0, last.x, last.y).toPoint()));
    EXPECT_EQ(window.session().currentLight()->frame, frame);
}

TEST_F(StackBenchTest, WithoutABodyItSaysWhatToDo) {
    window.session().setBody(night::BodyId());
    press(Qt::Key_5);
    ASSERT_TRUE(waitFor([&] { return !stack->state().isEmpty(); }));
    EXPECT_EQ(stack->frames(), nullptr);
    EXPECT_FALSE(find<QPushButton>("stackToOrbit")->isEnabled());
    EXPECT_FALSE(find<QPushButton>("stackToFitted")->isEnabled());
}

/// By hand on the Ribbon and by keys; what is decided is in the night file and goes with Ctrl+Z.
TEST_F(StackBenchTest, BracketsAreDrawnTakenAwayAndUndone) {
    take("2034 EW2");
    auto* ribbon = find<FrameRibbon>("ribbon");
    const auto at = [ribbon](int frame) { return ribbon->cellRect(frame).center().toPoint(); };
    const auto brackets = [this] {
        std::vector<std::size_t> sizes;
        for (const auto& [series, list] : window.session().night()->decided->brackets) {
            for (const auto& bracket : list) {
                sizes.push_back(bracket.size());
            }
        }
        return sizes;
    };
    QTest::mousePress(ribbon, Qt::LeftButton, Qt::ShiftModifier, at(0));
    QTest::mouseMove(ribbon, at(2));
    QTest::mouseRelease(ribbon, Qt::LeftButton, Qt::ShiftModifier, at(2));
    EXPECT_EQ(brackets(), (std::vector<std::size_t>{3}));
    EXPECT_TRUE(window.message().contains("3 frames")) << window.message().toStdString();
    press(Qt::Key_Home);
    for (int i = 0; i < 2; ++i) {
        press(Qt::Key_Right);
    }
    press(Qt::Key_B, Qt::ShiftModifier);
    press(Qt::Key_End);
    press(Qt::Key_B, Qt::ShiftModifier);
    EXPECT_EQ(brackets(), (std::vector<std::size_t>{2, 4})) << "a frame is in one stack only";
    press(Qt::Key_Delete);
    EXPECT_EQ(brackets(), (std::vector<std::size_t>{2}));
    QTest::mouseClick(ribbon, Qt::LeftButton, Qt::ShiftModifier, at(1));
    EXPECT_TRUE(brackets().empty());
    press(Qt::Key_B, Qt::ShiftModifier);
    press(Qt::Key_B, Qt::ShiftModifier);
    EXPECT_TRUE(brackets().empty()) << "begun and ended at one frame";
    press(Qt::Key_Z, Qt::ControlModifier);
    EXPECT_EQ(brackets(), (std::vector<std::size_t>{2}));
    window.session().finishStoring();
    auto file = night::NightFile::open(night() / "results" / "night.pmnight");
    ASSERT_TRUE(file);
    EXPECT_EQ(night::Decided::after(*file->history()).brackets,
              window.session().night()->decided->brackets);
}

} // namespace
} // namespace pathmark::desk
