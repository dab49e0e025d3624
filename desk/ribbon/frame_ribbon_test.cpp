#include "desk/ribbon/frame_ribbon.h"

#include <QSignalSpy>
#include <QTest>

#include <gtest/gtest.h>

namespace pathmark::desk {
namespace {

NightSnapshot twoSeries() {
    NightSnapshot snapshot;
    for (int i = 0; i < 12; ++i) {
        night::LightRecord light;
        light.raw = "/n/" + std::to_string(i) + ".fits";
        light.frame = night::FrameId(std::to_string(i));
        light.seriesTitle = i < 8 ? "light 60 s R" : "light 30 s V";
        light.series = night::SeriesId(light.seriesTitle);
        light.exposureSeconds = i < 8 ? 60.0 : 30.0;
        // Two hours of pause before the second series.
        light.middle = Utc::julian(2464000.0).plusSeconds(70.0 * i + (i < 8 ? 0.0 : 7200.0));
        light.fwhmPixels = 2.0 + 0.1 * i;
        snapshot.lights.edit().push_back(light);
        snapshot.excluded.push_back(false);
    }
    return snapshot;
}

class FrameRibbonTest : public testing::Test {
  protected:
    FrameRibbonTest() : snapshot(twoSeries()) {
        ribbon.resize(1200, 100);
        ribbon.setNight(&snapshot);
        ribbon.show();
    }

    NightSnapshot snapshot;
    FrameRibbon ribbon;
};

TEST_F(FrameRibbonTest, DragSweepsTheSelection) {
    QSignalSpy selected(&ribbon, &FrameRibbon::selectedChanged);
    QTest::mousePress(&ribbon, Qt::LeftButton, {}, ribbon.cellRect(2).center().toPoint());
    for (int frame = 3; frame <= 6; ++frame) {
        QTest::mouseMove(&ribbon, ribbon.cellRect(frame).center().toPoint());
    }
    QTest::mouseRelease(&ribbon, Qt::LeftButton, {}, ribbon.cellRect(6).center().toPoint());
    EXPECT_TRUE(QTest::qWaitFor([&] { return ribbon.selected() == 6; }, 2000));
    EXPECT_EQ(selected.count(), 5);
}

TEST_F(FrameRibbonTest, ShiftDrawsABracketInOneLaneAndSelectsNothing) {
    QSignalSpy selected(&ribbon, &FrameRibbon::selectedChanged);
    QSignalSpy drawn(&ribbon, &FrameRibbon::bracketDrawn);
    QSignalSpy clicked(&ribbon, &FrameRibbon::bracketClicked);
    const auto at = [this](int frame) { return ribbon.cellRect(frame).center().toPoint(); };
    QTest::mousePress(&ribbon, Qt::LeftButton, Qt::ShiftModifier, at(6));
    QTest::mouseMove(&ribbon, at(3));
    QTest::mouseMove(&ribbon, at(9)); // of the other lane
    QTest::mouseRelease(&ribbon, Qt::LeftButton, Qt::ShiftModifier, at(9));
    ASSERT_EQ(drawn.count(), 1);
    EXPECT_EQ(drawn.front(), (QList<QVariant>{3, 6}));
    QTest::mouseClick(&ribbon, Qt::LeftButton, Qt::ShiftModifier, at(5));
    ASSERT_EQ(clicked.count(), 1);
    EXPECT_EQ(clicked.front().front(), 5);
    EXPECT_EQ(selected.count(), 0);
}

TEST_F(FrameRibbonTest, SeriesHaveLanesAndLongPausesFold) {
    EXPECT_LT(ribbon.cellRect(3).bottom(), ribbon.cellRect(9).top());
    // Without folding two hours would leave eight frames a tenth of the width.
    EXPECT_GT(ribbon.cellRect(7).right() - ribbon.cellRect(0).left(), 0.4 * ribbon.width());
    for (int i = 1; i < 12; ++i) {
        EXPECT_GT(ribbon.cellRect(i).left(), ribbon.cellRect(i - 1).left());
        EXPECT_LE(ribbon.cellRect(i).right(), ribbon.width());
    }
    // Half the exposure, half the block.
    EXPECT_NEAR(ribbon.cellRect(9).width() / ribbon.cellRect(3).width(), 0.5, 0.05);
}

/// A list of an archive has a lane for every field of every night: the Ribbon must leave the Sky its room.
TEST(RibbonOfManyNightsTest, LanesStandLowInsteadOfTakingTheWindow) {
    NightSnapshot snapshot;
    for (int i = 0; i < 80; ++i) {
        night::LightRecord light;
        light.raw = "/n/" + std::to_string(i) + ".fits";
        light.series = night::SeriesId(std::to_string(i));
        light.middle = Utc::julian(2463000.5 + i);
        light.exposureSeconds = 60.0;
        snapshot.lights.edit().push_back(light);
        snapshot.excluded.push_back(false);
    }
    FrameRibbon ribbon;
    ribbon.resize(1000, 100);
    ribbon.setNight(&snapshot);
    EXPECT_LT(ribbon.height(), 210);
    double last = 0.0;
    for (int i = 0; i < 80; ++i) {
        EXPECT_GT(ribbon.cellRect(i).top(), last) << "each lane below the one before";
        EXPECT_LE(ribbon.cellRect(i).bottom(), ribbon.height());
        last = ribbon.cellRect(i).top();
    }
}

} // namespace
} // namespace pathmark::desk
