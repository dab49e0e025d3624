#include "desk/picture/histogram_view.h"

#include <QSignalSpy>
#include <QTest>

#include <gtest/gtest.h>

namespace pathmark::desk {
namespace {

class HistogramViewTest : public testing::Test {
  protected:
    HistogramViewTest() {
        histogram_.ground = {100.0, 10.0};
        histogram_.first = histogram_.axisOf(20.0);
        histogram_.counts.assign(50, 7.0);
        histogram_.step = (histogram_.axisOf(20000.0) - histogram_.first) / 50.0;
        view_.setHistogram(&histogram_);
        view_.setStretch({picture::Stretch::Curve::Asinh, 85.0, 9000.0, 20.0, 1.0});
        view_.resize(320, 240);
        view_.show();
        view_.activateWindow();
        EXPECT_TRUE(QTest::qWaitForWindowActive(&view_));
    }

    void drag(HistogramView::Mark mark, double by) {
        const QPoint from = view_.placeOf(mark).toPoint();
        QTest::mousePress(&view_, Qt::LeftButton, {}, from);
        QTest::mouseMove(&view_, from + QPoint(static_cast<int>(by), 30));
        QTest::mouseRelease(&view_, Qt::LeftButton, {}, from + QPoint(static_cast<int>(by), 30));
    }

    picture::LightHistogram histogram_;
    HistogramView view_;
};

TEST_F(HistogramViewTest, EachMarkIsDrawnAlongByItself) {
    QSignalSpy moved(&view_, &HistogramView::moved);
    QSignalSpy rested(&view_, &HistogramView::rested);
    const picture::Stretch before = view_.stretch();
    drag(HistogramView::Mark::White, -60.0);
    EXPECT_LT(view_.stretch().white, 0.8 * before.white);
    EXPECT_EQ(view_.stretch().black, before.black);
    EXPECT_EQ(rested.count(), 1);
    EXPECT_GE(moved.count(), 2);
    drag(HistogramView::Mark::Bend, 40.0);
    EXPECT_GT(view_.stretch().softness, 1.2 * before.softness);
    const double softness = view_.stretch().softness;
    drag(HistogramView::Mark::Black, -30.0);
    EXPECT_LT(view_.stretch().black, before.black);
    EXPECT_EQ(view_.stretch().softness, softness);
}

/// Wherever a hand goes, black stays below white and the curve has a bend.
TEST_F(HistogramViewTest, MarksDoNotPassEachOther) {
    drag(HistogramView::Mark::Black, 2000.0);
    EXPECT_LT(view_.stretch().black, view_.stretch().white);
    drag(HistogramView::Mark::White, -2000.0);
    EXPECT_LT(view_.stretch().black, view_.stretch().white);
    drag(HistogramView::Mark::Bend, -2000.0);
    EXPECT_GT(view_.stretch().softness, 0.0);
}

TEST_F(HistogramViewTest, TheKeyboardMovesWhatIsInHand) {
    view_.setFocus(Qt::TabFocusReason);
    ASSERT_EQ(view_.markInHand(), HistogramView::Mark::Black);
    const picture::Stretch before = view_.stretch();
    QTest::keyClick(&view_, Qt::Key_Right);
    EXPECT_GT(view_.stretch().black, before.black);
    QTest::keyClick(&view_, Qt::Key_Tab);
    QTest::keyClick(&view_, Qt::Key_Tab);
    ASSERT_EQ(view_.markInHand(), HistogramView::Mark::White);
    QTest::keyClick(&view_, Qt::Key_Left, Qt::ShiftModifier);
    EXPECT_LT(view_.stretch().white, before.white);
}

} // namespace
} // namespace pathmark::desk
