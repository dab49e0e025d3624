#include "desk/curve/light_curve_bench.h"

#include "core/night/comparison_set.h"
#include "core/night/night_file.h"
#include "desk/curve/light_curve_session.h"
#include "desk/sky/sky_view.h"
#include "tests/support/small_night_window.h"

#include <QLabel>
#include <qcustomplot.h>

#include <fmt/format.h>
#include <gtest/gtest.h>

#include <algorithm>
#include <fstream>

namespace pathmark::desk {
namespace {

class LightCurveBenchTest : public test_support::SmallNightWindowTest {
  protected:
    /// The curves of the field with the bright body in hand, by keys.
    void measure() {
        open(night());
        window.session().setBody(night::BodyId::of("(2711043)"));
        press(Qt::Key_U, Qt::ShiftModifier);
        curves = window.findChild<LightCurveSession*>();
        bench = find<LightCurveBench>("lightCurve");
        ASSERT_TRUE(find<QLabel>("curveTitle")->text().contains("6 frame"))
            << find<QLabel>("curveTitle")->text().toStdString();
        press(Qt::Key_Return);
        ASSERT_TRUE(waitFor([&] { return curves->curves() != nullptr; }));
    }

    static const PlotSet* set(const Plot& plot, const char* name) {
        const auto& sets = plot.sets();
        const auto found = std::find_if(
            sets.begin(), sets.end(), [&](const PlotSet& one) { return one.name == name; });
        return found == sets.end() ? nullptr : &*found;
    }

    void moveTo(const SkyPos& place) {
        auto* sky = find<SkyView>("sky");
        const auto pixel = sky->picture()->wcs->toPixel(place);
        ASSERT_TRUE(pixel);
        QTest::mouseMove(sky, sky->toWidget(*pixel).toPoint());
    }

    LightCurveSession* curves = nullptr;
    LightCurveBench* bench = nullptr;
};

TEST_F(LightCurveBenchTest, KeysMeasureTheFieldAndShowTheBody) {
    measure();
    auto* plot = find<Plot>("curvePlot");
    const PlotSet* measured = set(*plot, "measured");
    ASSERT_NE(measured, nullptr);
    const PlotSet* flagged = set(*plot, "flagged");
    EXPECT_EQ(measured->points.size() + flagged->points.size(), 6U);
    // The same light as the run measured, by another way.
    for (const auto& m : window.session().currentMeasurements()) {
        for (const PlotPoint& point : measured->points) {
            if (std::abs(point.x - plotTime(m.time)) < 1.0 && m.magnitude) {
                EXPECT_NEAR(point.y, *m.magnitude, 0.04);
            }
        }
    }
    EXPECT_GT(set(*find<Plot>("curveLower"), "comparison stars")->points.size(), 5U);
    EXPECT_TRUE(find<QLabel>("curveTitle")->text().contains("points are good"));
}

/// The mouse over a star shows its curve; the key takes it out of the comparison, undo puts it back, and the night keeps it.
TEST_F(LightCurveBenchTest, AStarUnderTheMouseShowsItsCurveAndCanBeTakenOut) {
    measure();
    const auto* before = curves->curves();
    std::size_t used = 0;
    while (used < before->stars.size() && !before->stars[used].scatter.used) {
        ++used;
    }
    ASSERT_LT(used, before->stars.size());
    const std::int64_t id = before->stars[used].star.sourceId;
    moveTo(before->stars[used].star.place);
    ASSERT_TRUE(waitFor([&] { return bench->star() == static_cast<int>(used); }));
    ASSERT_NE(set(*find<Plot>("curvePlot"), "star in hand"), nullptr);
    EXPECT_TRUE(find<QLabel>("curveWords")->text().contains(QString::number(id)));
    press(Qt::Key_A);
    EXPECT_TRUE(waitFor([&] { return !curves->curves()->stars[used].scatter.used; }));
    EXPECT_TRUE(window.session().night()->decided->starsOff.contains(id));
    window.session().finishStoring();
    const auto file = night::NightFile::open(night() / "results" / "night.pmnight");
    ASSERT_TRUE(file);
    EXPECT_TRUE(file->decided()->starsOff.contains(id));
    press(Qt::Key_Z, Qt::ControlModifier);
    EXPECT_TRUE(waitFor([&] { return curves->curves()->stars[used].scatter.used; }));
    window.session().finishStoring();
}

/// A set that was written from one night serves another: its stars alone, with the magnitudes typed there; undo takes it back.
TEST_F(LightCurveBenchTest, ASetOfStarsIsWrittenAndUsed) {
    measure();
    const double before = *curves->curves()->targets.front().points.front().mag;
    const auto used = [&] {
        return std::ranges::count_if(curves->curves()->stars,
                                     [](const auto& star) { return star.scatter.used; });
    };
    const auto all = used();
    ASSERT_GT(all, 4);
    const auto path = night() / "results" / "mine.stars.csv";
    curves->write(QString::fromStdString(path.string()));
    auto set = night::readSet(path);
    ASSERT_TRUE(set) << set.error().detail;
    EXPECT_EQ(set->stars.comparison.size(), static_cast<std::size_t>(all));
    // As a person would change it: three stars, each a magnitude fainter.
    std::ofstream(path) << "role,name,ra,dec,band,mag\n"
                        <<
        [&] {
            std::string rows;
            for (int i = 0; i < 3; ++i) {
                const auto& star = set->stars.comparison[static_cast<std::size_t>(i)];
                rows += fmt::format("comparison,{},{:.7f},{:.7f},{},{:.3f}\n",
                                    star.name,
                                    star.place.longitude.degrees(),
                                    star.place.latitude.degrees(),
                                    star.band,
                                    star.mag.value() + 1.0);
            }
            return rows;
        }();
    curves->useSet(QString::fromStdString(path.string()));
    ASSERT_TRUE(waitFor([&] { return curves->curves() != nullptr && used() == 3; }));
    EXPECT_NEAR(*curves->curves()->targets.front().points.front().mag, before + 1.0, 0.05);
    EXPECT_TRUE(find<QLabel>("curveTitle")->text().contains("mine.stars.csv"));
    press(Qt::Key_L, Qt::ControlModifier); // off again
    EXPECT_TRUE(waitFor([&] { return used() == all; }));
    press(Qt::Key_Z, Qt::ControlModifier);
    EXPECT_TRUE(waitFor([&] { return used() == 3; }));
    // A file that is no set is refused in words, and nothing changes.
    std::ofstream(path) << "nothing,of,the,kind\n1,2,3,4\n";
    curves->useSet(QString::fromStdString(path.string()));
    EXPECT_EQ(used(), 3);
    window.session().finishStoring();
}

/// Stars are gone through by keys, the strangest first; a point of the curve takes its frame in hand.
TEST_F(LightCurveBenchTest, StarsAndFramesAreReachedByKeyAndMouse) {
    measure();
    press(Qt::Key_Period);
    const int first = bench->star();
    EXPECT_EQ(first, starsByScatter(*curves->curves()).front());
    press(Qt::Key_Period);
    EXPECT_NE(bench->star(), first);
    press(Qt::Key_Comma);
    EXPECT_EQ(bench->star(), first);
    auto* plot = find<Plot>("curvePlot");
    const PlotPoint point = set(*plot, "measured")->points.back();
    auto* canvas = plot->findChild<QCustomPlot*>();
    QTest::mouseClick(canvas, Qt::LeftButton, {}, plot->placeOf(0, point.x, point.y).toPoint());
    EXPECT_TRUE(waitFor([&] {
        return window.session().currentLight()->calibrated ==
               curves->curves()->frames[static_cast<std::size_t>(point.id)].file;
    }));
    // Six points bear no period: folding says so instead of drawing one.
    press(Qt::Key_V);
    EXPECT_TRUE(find<Plot>("curveLower")->sets().front().points.empty());
    press(Qt::Key_V);
}

TEST_F(LightCurveBenchTest, AFrameThatIsLeftOutIsNotMeasured) {
    open(night());
    press(Qt::Key_U, Qt::ShiftModifier);
    press(Qt::Key_X); // leaves out the frame in hand
    press(Qt::Key_Right);
    EXPECT_TRUE(waitFor([&] { return find<QLabel>("curveTitle")->text().contains("5 frame"); }))
        << find<QLabel>("curveTitle")->text().toStdString();
    press(Qt::Key_Z, Qt::ControlModifier);
    window.session().finishStoring();
}

} // namespace
} // namespace pathmark::desk
