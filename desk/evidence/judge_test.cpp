#include "desk/evidence/evidence_panel.h"
#include "tests/support/small_night_window.h"

#include <QComboBox>
#include <QLineEdit>

#include <gtest/gtest.h>

namespace pathmark::desk {
namespace {

class JudgeTest : public test_support::SmallNightWindowTest {
  protected:
    [[nodiscard]] night::MeasurementRecord inHand() {
        return find<EvidencePanel>("evidence")->chosen();
    }
};

/// A reason is typed or chosen by keys alone, stands with the measurement, and is undone with it.
TEST_F(JudgeTest, AReasonIsTypedOrChosen) {
    open(night());
    press(Qt::Key_6);
    window.session().setBody(night::BodyId::of("(2711043)"));
    ASSERT_EQ(inHand().state, night::MeasurementState::Kept);
    auto* why = find<QComboBox>("judgeReason");
    EXPECT_FALSE(why->isVisible());
    press(Qt::Key_D, Qt::ShiftModifier);
    ASSERT_TRUE(why->isVisible());
    QTest::keyClicks(why->lineEdit(), "dew on the mirror");
    QTest::keyClick(why->lineEdit(), Qt::Key_Return);
    EXPECT_EQ(inHand().state, night::MeasurementState::Dropped);
    EXPECT_EQ(inHand().reason, "dew on the mirror");
    EXPECT_FALSE(why->isVisible());
    press(Qt::Key_Z, Qt::ControlModifier);
    EXPECT_EQ(inHand().state, night::MeasurementState::Kept);
    press(Qt::Key_P, Qt::ShiftModifier);
    QTest::keyClick(why, Qt::Key_Down);
    QTest::keyClick(why->lineEdit(), Qt::Key_Return);
    EXPECT_EQ(inHand().state, night::MeasurementState::Parked);
    EXPECT_EQ(inHand().reason, why->itemText(why->currentIndex()).toStdString());
    press(Qt::Key_Z, Qt::ControlModifier);
    press(Qt::Key_D, Qt::ShiftModifier);
    QTest::keyClick(why->lineEdit(), Qt::Key_Escape);
    EXPECT_FALSE(why->isVisible());
    EXPECT_EQ(inHand().state, night::MeasurementState::Kept);
    // Without a reason the key alone decides, as before.
    press(Qt::Key_D);
    EXPECT_EQ(inHand().reason, "decided by the observer: dropped");
    window.session().finishStoring();
}

} // namespace
} // namespace pathmark::desk
