#include "desk/curve/light_curve_session.h"
#include "desk/plot/plot.h"
#include "desk/sky/sky_view.h"
#include "tests/support/shell.h"
#include "tests/support/small_night.h"
#include "tests/support/window_test.h"

#include <QLabel>
#include <qcustomplot.h>

#include <gtest/gtest.h>

#include <algorithm>

namespace pathmark::desk {
namespace {

constexpr double kRotationHours = 0.3;

/// A series long enough for a rotation and a half of a body that turns in 18 minutes.
simulate::Scenario turningScenario() {
    simulate::Scenario s = test_support::smallScenario();
    s.extraOrbits = 5;
    s.bodies.resize(1);
    s.bodies.front().rotationHours = kRotationHours;
    s.bodies.front().amplitudeMag = 0.3;
    for (auto& series : s.series) {
        series.count = 12;
    }
    return s;
}

class LightCurveWalkTest : public test_support::WindowTest {};

/// The whole way of an observer, by keys and the mouse: the night is run, its field measured, the body's curve looked at, folded with the
/// period found, a point's frame taken in hand, and the curves written. Truth: the rotation that the frames were made with.
TEST_F(LightCurveWalkTest, FromFramesToAPeriodAndAFile) {
    const auto night = folder.path() / "night";
    test_support::makeNight(night, turningScenario());
    showWindow();
    window.openNight(QString::fromStdString(night.string()));
    ASSERT_TRUE(waitFor([&] { return window.session().night() != nullptr; }));
    press(Qt::Key_R, Qt::ControlModifier);
    ASSERT_TRUE(waitFor(
        [&] {
            const auto* now = window.session().night();
            return now != nullptr && now->measurements.size() >= 20;
        },
        120000));
    press(Qt::Key_6); // Measure
    while (window.session().currentBody().text() != "(2711043)") {
        const auto before = window.session().currentBody();
        press(Qt::Key_Down);
        ASSERT_FALSE(before == window.session().currentBody()) << "the body is not in the list";
    }
    press(Qt::Key_U, Qt::ShiftModifier);
    press(Qt::Key_Return);
    auto* curves = window.findChild<LightCurveSession*>();
    ASSERT_TRUE(waitFor([&] { return curves->curves() != nullptr; }, 60000));
    ASSERT_GE(curves->target(), 0);
    const auto& curve = curves->curves()->targets[static_cast<std::size_t>(curves->target())];
    ASSERT_TRUE(curve.period);
    EXPECT_NEAR(24.0 * curve.period->days, kRotationHours, 4.0 * 24.0 * curve.period->error);
    EXPECT_LT(24.0 * curve.period->error, 0.03 * kRotationHours);
    EXPECT_NEAR(curve.period->amplitude, 0.3, 0.03);
    press(Qt::Key_V);
    auto* plot = find<Plot>("curvePlot");
    const auto axis = plot->sets();
    ASSERT_FALSE(axis.empty());
    for (const PlotPoint& point : axis.front().points) {
        EXPECT_LE(std::abs(point.x), 1.5); // phase
    }
    press(Qt::Key_V);
    const auto& sets = plot->sets();
    const auto measured =
        std::ranges::find_if(sets, [](const PlotSet& set) { return set.name == "measured"; });
    ASSERT_NE(measured, sets.end());
    ASSERT_FALSE(measured->points.empty());
    const PlotPoint last = measured->points.back();
    QTest::mouseClick(plot->findChild<QCustomPlot*>(),
                      Qt::LeftButton,
                      {},
                      plot->placeOf(0, last.x, last.y).toPoint());
    EXPECT_TRUE(waitFor([&] {
        return window.session().currentLight() != nullptr &&
               std::abs(plotTime(window.session().currentLight()->middle) - last.x) < 60.0;
    }));
    const auto file = night / "results" / "curves.txt";
    curves->write(QString::fromStdString(file.string()));
    EXPECT_NE(test_support::contentOf(file).find("OBJECTNUMBER=2711043"), std::string::npos);
    window.session().finishStoring();
}

} // namespace
} // namespace pathmark::desk
