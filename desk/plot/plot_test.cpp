#include "desk/plot/plot.h"

#include "desk/theme/theme.h"
#include "tests/support/temporary_folder.h"

#include <QApplication>
#include <QFile>
#include <QImage>
#include <QSignalSpy>
#include <QTest>
#include <QWheelEvent>

#include <gtest/gtest.h>

#include <fstream>

namespace pathmark::desk {
namespace {

class PlotTest : public testing::Test {
  protected:
    void SetUp() override {
        plot.setObjectName("plot");
        plot.resize(500, 320);
        plot.setAxes({"UTC", true, false},
                     {{"RA O−C ″", false, true}, {"Dec O−C ″", false, false}});
        PlotSet above{"kept", 0, PlotRole::Agreed, PlotMark::Level, false, {}};
        above.points = {{1000.0, 0.2, 0.1, 0, "first"}, {2000.0, -0.5, 0.1, 1, "second, \"odd\""}};
        PlotSet below{"kept", 1, PlotRole::Agreed, PlotMark::Cross, false, {}};
        below.points = {{1000.0, 3.0, 0.0, 0, "first"}, {3000.0, 5.0, 0.0, 2, "third"}};
        plot.setSets({above, below});
        plot.show();
        ASSERT_TRUE(QTest::qWaitForWindowExposed(&plot));
        QTest::qWait(50);
    }

    /// The widget that the mouse works on.
    QWidget* canvas() { return plot.findChild<QWidget*>(QString(), Qt::FindDirectChildrenOnly); }

    void wheel(const QPointF& place, int notches) {
        QWheelEvent event(place,
                          canvas()->mapToGlobal(place),
                          {},
                          {0, 120 * notches},
                          Qt::NoButton,
                          Qt::NoModifier,
                          Qt::NoScrollPhase,
                          false);
        QApplication::sendEvent(canvas(), &event);
    }

    Plot plot;
};

/// Truth: the values given, by hand.
TEST_F(PlotTest, AllPointsWithTheirErrorsAreSeenAtFirst) {
    const auto [left, right] = plot.horizontalRange();
    EXPECT_LT(left, 1000.0);
    EXPECT_GT(right, 3000.0);
    const auto [low, high] = plot.verticalRange(0);
    EXPECT_LT(low, -0.6);
    EXPECT_NEAR(low, -high, 1e-12) << "as far below zero as above";
    EXPECT_GT(plot.verticalRange(1).first, 2.0);
    // The panels stand over one stretch: the same time at the same place, the first panel on top.
    EXPECT_NEAR(plot.placeOf(0, 2000.0, 0.0).x(), plot.placeOf(1, 2000.0, 4.0).x(), 0.5);
    EXPECT_LT(plot.placeOf(0, 2000.0, 0.0).y(), plot.placeOf(1, 2000.0, 4.0).y());
}

TEST_F(PlotTest, AClickPicksTheNearestPointAndNothingElseDoes) {
    QSignalSpy picked(&plot, &Plot::picked);
    QTest::mouseClick(canvas(), Qt::LeftButton, {}, plot.placeOf(1, 3000.0, 5.0).toPoint());
    ASSERT_EQ(picked.count(), 1);
    EXPECT_EQ(picked.front().front().toInt(), 2);
    QTest::mouseClick(canvas(), Qt::LeftButton, {}, plot.placeOf(1, 2000.0, 4.9).toPoint());
    EXPECT_EQ(picked.count(), 1) << "there is no point";
    // Moving the plot picks nothing.
    const QPoint from = plot.placeOf(1, 3000.0, 5.0).toPoint();
    QTest::mousePress(canvas(), Qt::LeftButton, {}, from);
    QTest::mouseMove(canvas(), from - QPoint(60, 0));
    QTest::mouseRelease(canvas(), Qt::LeftButton, {}, from - QPoint(60, 0));
    EXPECT_EQ(picked.count(), 1);
    EXPECT_GT(plot.horizontalRange().second, 3200.0) << "what lay right of it came in";
}

TEST_F(PlotTest, TheWheelZoomsBothPanelsAndADoubleClickShowsAllAgain) {
    const auto before = plot.horizontalRange();
    wheel(plot.placeOf(0, 2000.0, 0.0), 3);
    const auto after = plot.horizontalRange();
    EXPECT_LT(after.second - after.first, 0.8 * (before.second - before.first));
    EXPECT_NEAR(plot.placeOf(0, 2000.0, 0.0).x(), plot.placeOf(1, 2000.0, 4.0).x(), 0.5);
    QTest::mouseDClick(canvas(), Qt::LeftButton, {}, plot.placeOf(0, 2000.0, 0.1).toPoint());
    EXPECT_EQ(plot.horizontalRange(), before);
}

TEST_F(PlotTest, ThePointInHandIsDrawnInItsOwnColour) {
    const auto amberPixels = [&] {
        const QImage image = plot.grab().toImage();
        int count = 0;
        for (int y = 0; y < image.height(); ++y) {
            for (int x = 0; x < image.width(); ++x) {
                count += image.pixelColor(x, y) == colours().inHand ? 1 : 0;
            }
        }
        return count;
    };
    EXPECT_EQ(amberPixels(), 0);
    plot.setChosen(1);
    QTest::qWait(50);
    EXPECT_GT(amberPixels(), 3);
}

TEST_F(PlotTest, ItIsSavedAsPictureAndAsTable) {
    const test_support::TemporaryFolder folder;
    const auto file = [&](const char* name) {
        return QString::fromStdString((folder / name).string());
    };
    ASSERT_TRUE(plot.save(file("p.png")));
    EXPECT_GE(QImage(file("p.png")).width(), 500);
    ASSERT_TRUE(plot.save(file("p.pdf")));
    std::ifstream pdf(folder / "p.pdf", std::ios::binary);
    std::string start(5, ' ');
    pdf.read(start.data(), 5);
    EXPECT_EQ(start, "%PDF-");
    ASSERT_TRUE(plot.save(file("p.csv")));
    std::ifstream table(folder / "p.csv");
    const std::string text{std::istreambuf_iterator<char>(table), {}};
    EXPECT_EQ(std::count(text.begin(), text.end(), '\n'), 5) << text;
    EXPECT_NE(text.find("2000,\"RA O−C ″\",-0.5,0.1,\"second, \"\"odd\"\"\""), std::string::npos)
        << text;
    QString why;
    EXPECT_FALSE(plot.save("/no/such/folder/p.png", &why));
    EXPECT_FALSE(why.isEmpty());
}

TEST_F(PlotTest, WithoutPointsItSaysWhy) {
    plot.setEmptyText("Nothing measured yet");
    plot.setSets({});
    EXPECT_TRUE(canvas()->isHidden());
}

TEST_F(PlotTest, TheLimitIsDraggedAndThePointsStayToBePicked) {
    plot.setLimit(PlotLimit{0, 0.2, "limit"});
    QTest::qWait(50);
    QSignalSpy moved(&plot, &Plot::limitMoved);
    QSignalSpy picked(&plot, &Plot::picked);
    const QPoint from =
        plot.placeOf(0, plot.horizontalRange().first, 0.2).toPoint() + QPoint(40, 0);
    const auto range = plot.horizontalRange();
    QTest::mousePress(canvas(), Qt::LeftButton, {}, from);
    QTest::mouseMove(canvas(), from - QPoint(0, 12));
    QTest::mouseRelease(canvas(), Qt::LeftButton, {}, from - QPoint(0, 12));
    ASSERT_FALSE(moved.isEmpty());
    EXPECT_GT(moved.last()[0].toDouble(), 0.2);
    EXPECT_EQ(plot.horizontalRange(), range) << "the plot itself does not move";
    EXPECT_TRUE(picked.isEmpty());
    // Away from it the hand moves the plot.
    const QPoint ground = plot.placeOf(1, 2000.0, 5.0).toPoint();
    QTest::mousePress(canvas(), Qt::LeftButton, {}, ground);
    QTest::mouseMove(canvas(), ground + QPoint(40, 0));
    QTest::mouseRelease(canvas(), Qt::LeftButton, {}, ground + QPoint(40, 0));
    EXPECT_NE(plot.horizontalRange(), range);
}

TEST_F(PlotTest, SetsThatDoNotSetTheRangeStayOutside) {
    PlotSet near{"near",
                 0,
                 PlotRole::Text,
                 PlotMark::Level,
                 false,
                 {{0.0, 1.0, 0.0, -1, {}}, {1.0, 2.0, 0.0, -1, {}}}};
    PlotSet far{"far", 0, PlotRole::Disagrees, PlotMark::Cross, false, {{0.5, 500.0, 0.0, -1, {}}}};
    far.setsRange = false;
    plot.setSets({near, far});
    EXPECT_LT(plot.verticalRange(0).second, 3.0);
    far.setsRange = true;
    plot.setSets({near, far});
    EXPECT_GT(plot.verticalRange(0).second, 499.0);
}

/// What changes under the hand is drawn anew where it is looked at; only new sets show all again.
TEST_F(PlotTest, ReplacedSetsLeaveTheViewAsItIs) {
    wheel(plot.placeOf(0, 2000.0, 0.1), 3);
    const auto range = plot.horizontalRange();
    auto sets = plot.sets();
    sets.front().points.push_back({1e6, 0.1, 0.0, -1, {}});
    plot.replaceSets(sets);
    EXPECT_EQ(plot.horizontalRange(), range);
    plot.setSets(sets);
    EXPECT_GT(plot.horizontalRange().second, 9e5);
}

TEST_F(PlotTest, WordsAreMadeWhenTheyAreAskedFor) {
    int asked = 0;
    plot.setWords([&](int id) {
        ++asked;
        return QString("point %1").arg(id);
    });
    PlotSet set{"s", 0, PlotRole::Text, PlotMark::Level, false, {{1.0, 2.0, 0.0, 7, {}}}};
    plot.setSets({set});
    EXPECT_EQ(asked, 0);
    const test_support::TemporaryFolder folder;
    const QString path = QString::fromStdString((folder / "p.csv").string());
    ASSERT_TRUE(plot.save(path));
    EXPECT_EQ(asked, 1);
    QFile file(path);
    ASSERT_TRUE(file.open(QIODevice::ReadOnly));
    EXPECT_TRUE(QString::fromUtf8(file.readAll()).contains("\"point 7\""));
}

/// Magnitudes: what is brighter stands higher.
TEST_F(PlotTest, AnAxisMayRunDownwards) {
    plot.setAxes({"x"}, {{"mag", false, false, {}, {}, true}});
    PlotSet set;
    set.points = {{0.0, 17.0, 0.0, 0, {}}, {1.0, 18.0, 0.0, 1, {}}};
    plot.setSets({set});
    QTest::qWait(50);
    EXPECT_LT(plot.placeOf(0, 0.0, 17.0).y(), plot.placeOf(0, 0.0, 18.0).y());
    EXPECT_LT(plot.verticalRange(0).first, 17.0);
    EXPECT_GT(plot.verticalRange(0).second, 18.0);
}

} // namespace
} // namespace pathmark::desk
