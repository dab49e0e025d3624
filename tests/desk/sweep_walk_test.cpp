#include "desk/stack/stack_views.h"
#include "desk/sweep/sweep_plane.h"
#include "desk/sweep/swept_table.h"
#include "tests/support/small_night.h"
#include "tests/support/window_test.h"

#include <QDoubleSpinBox>
#include <QLabel>
#include <QPushButton>
#include <QTableView>

#include <gtest/gtest.h>
#include <nlohmann/json.hpp>

#include <algorithm>
#include <cmath>
#include <fstream>

namespace pathmark::desk {
namespace {

namespace fs = std::filesystem;

constexpr const char* kFaint = "faint"; ///< S/N 1.5 in a frame, in no list

/// Two series of the demo night: thirty frames before and after the pier's flip.
simulate::Scenario sweptDemo() {
    auto scenario =
        simulate::readScenario(fs::path(PATHMARK_SOURCE_DIR) / "data" / "demo" / "scenario.toml");
    EXPECT_TRUE(scenario);
    std::erase_if(scenario->series,
                  [](const auto& series) { return !series.name.starts_with("field"); });
    scenario->extraOrbits = 5;
    // A quarter of its sky, that with both bodies.
    scenario->cameras.front().width = 800;
    scenario->cameras.front().height = 640;
    for (auto& series : scenario->series) {
        series.raDegrees = 177.28;
        series.decDegrees = 2.36;
    }
    return *scenario;
}

std::string contentOf(const fs::path& path) {
    std::ifstream file(path);
    return {std::istreambuf_iterator<char>(file), std::istreambuf_iterator<char>()};
}

class SweepWalkTest : public test_support::WindowTest {
  protected:
    void SetUp() override {
        test_support::makeNight(night(), sweptDemo());
        showWindow();
        window.openNight(QString::fromStdString(night().string()));
        ASSERT_TRUE(waitFor([&] { return window.session().night() != nullptr; }));
        press(Qt::Key_R, Qt::ControlModifier);
        ASSERT_TRUE(waitFor([&] { return !window.session().isRunning() && isRun(); }, 200000));
        press(Qt::Key_M, Qt::ShiftModifier);
        plane = find<SweepPlane>("sweepPlane");
        ASSERT_TRUE(waitFor(
            [&] { return plane->isVisible() && find<QPushButton>("sweepStart")->isEnabled(); }));
    }

    [[nodiscard]] fs::path night() const { return folder.path() / "night"; }

    [[nodiscard]] bool isRun() {
        const NightSnapshot* now = window.session().night();
        return now != nullptr && !now->measurements.empty();
    }

    /// Draws the sector between two motions with the mouse.
    void draw(const night::SkyMotion& from, const night::SkyMotion& to) {
        const QPoint a = plane->placeOf(from).toPoint();
        const QPoint b = plane->placeOf(to).toPoint();
        QTest::mousePress(plane, Qt::LeftButton, {}, a);
        QTest::mouseMove(plane, 0.5 * (a + b));
        QTest::mouseMove(plane, b);
        QTest::mouseRelease(plane, Qt::LeftButton, {}, b);
    }

    /// Sweeps what is drawn, and waits for the run's end.
    void sweep(std::size_t sweeps) {
        ASSERT_TRUE(waitFor([&] { return find<QPushButton>("sweepStart")->isEnabled(); }));
        press(Qt::Key_Return);
        ASSERT_TRUE(waitFor([&] { return window.session().isRunning(); }));
        ASSERT_TRUE(waitFor(
            [&] {
                const NightSnapshot* now = window.session().night();
                return !window.session().isRunning() && now != nullptr &&
                       now->sweeps.size() == sweeps;
            },
            300000));
    }

    [[nodiscard]] const SweptTable* table() {
        return dynamic_cast<const SweptTable*>(find<QTableView>("sweptList")->model());
    }

    /// The row of the table that a body fills; -1: none.
    [[nodiscard]] int rowWhere(const std::function<bool(const SweptTable::Row&)>& is) {
        for (int k = 0; k < table()->rowCount(); ++k) {
            if (is(*table()->row(k))) {
                return k;
            }
        }
        return -1;
    }

    void clickRow(int row) {
        auto* list = find<QTableView>("sweptList");
        const QRect place = list->visualRect(table()->index(row, SweptTable::Rate));
        QTest::mouseClick(list->viewport(), Qt::LeftButton, {}, place.center());
    }

    /// Where the night was made with the faint body, in the frame nearest to a time.
    [[nodiscard]] SkyPos truthAt(const Utc& time) {
        const auto truth = nlohmann::json::parse(contentOf(night() / "truth.json"));
        double nearest = 1e9;
        SkyPos place;
        for (const auto& light : *window.session().night()->lights) {
            for (const auto& frame : truth.at("frames")) {
                const bool isIt = fs::path(frame.at("file").get<std::string>()).filename() ==
                                  light.raw.filename();
                const double off = std::abs(light.middle.secondsSince(time));
                if (isIt && frame.at("bodies").contains(kFaint) && off < nearest) {
                    nearest = off;
                    const auto& body = frame.at("bodies").at(kFaint);
                    place = skyDegrees(body.at("ra").get<double>(), body.at("dec").get<double>());
                }
            }
        }
        return place;
    }

    SweepPlane* plane = nullptr;
};

/// The whole way of an observer, by the mouse and keys. Truth: where the frames were made with the bodies.
TEST_F(SweepWalkTest, BodiesThatNoFrameShowsAreFoundMeasuredAndReported) {
    // What bodies of the main belt do here is offered first; the hand draws a little more.
    const auto offered = plane->sector();
    EXPECT_GT(offered.most, 0.3);
    EXPECT_LT(offered.most, 1.5);
    const double middle = offered.fromDegrees +
                          0.5 * std::fmod(offered.toDegrees - offered.fromDegrees + 360.0, 360.0);
    draw(night::SkyMotion::towards(offered.least - 0.05, middle - 50.0),
         night::SkyMotion::towards(offered.most + 0.05, middle + 50.0));
    EXPECT_NEAR(plane->sector().most, offered.most + 0.05, 0.03);
    ASSERT_TRUE(waitFor([&] { return find<QLabel>("sweepWords")->text().contains("mag"); }))
        << find<QLabel>("sweepWords")->text().toStdString();
    sweep(1);
    const int row = rowWhere([](const auto& r) { return !r.body.known; });
    ASSERT_GE(row, 0) << find<QLabel>("sweepWords")->text().toStdString();
    const night::SweptBody body = table()->row(row)->body;
    EXPECT_LT(body.falseAlarmsLog10, -1.0);
    clickRow(row);
    EXPECT_EQ(window.session().currentBody(), orbit::BodyId::of(body.name));
    // Its stack, and its light frame by frame.
    EXPECT_TRUE(waitFor([&] { return !find<StackViews>("sweepViews")->grab().isNull(); }));
    int near = 0;
    for (const std::size_t i :
         window.session().night()->measuredOf(window.session().currentBody())) {
        const auto& m = window.session().night()->measurements[i];
        const double off = separation(m.sky, truthAt(m.time)).arcsec();
        // The nearest frame is up to half a minute away.
        near += off < 4.0 * std::hypot(m.raErrorArcsec, m.decErrorArcsec) + 0.4 ? 1 : 0;
    }
    EXPECT_GE(near, 2);
    press(Qt::Key_K, Qt::ShiftModifier);
    EXPECT_TRUE(table()
                    ->row(rowWhere([&](const auto& r) { return r.body.name == body.name; }))
                    ->verdict.contains("kept"));
    // The near-Earth body that lists know, by numbers typed in.
    for (const auto& [name, value] : {std::pair{"sweepLeast", "2.8"},
                                      std::pair{"sweepMost", "3.2"},
                                      std::pair{"sweepFrom", "350"},
                                      std::pair{"sweepTo", "15"}}) {
        auto* box = find<QDoubleSpinBox>(name);
        box->setFocus();
        box->selectAll();
        QTest::keyClicks(box, value);
    }
    press(Qt::Key_Return);
    EXPECT_FALSE(window.session().isRunning()) << "the last number is taken first";
    EXPECT_NEAR(plane->sector().toDegrees, 15.0, 1e-9);
    sweep(2);
    EXPECT_GE(rowWhere([](const auto& r) { return r.body.known && r.body.name == "2034 EQ7"; }), 0);
    // Both stand in the report.
    window.session().finishStoring();
    press(Qt::Key_R, Qt::ControlModifier);
    ASSERT_TRUE(waitFor([&] { return window.session().isRunning(); }));
    ASSERT_TRUE(waitFor([&] { return !window.session().isRunning(); }, 200000));
    const std::string report = contentOf(night() / "results" / "report.psv");
    EXPECT_NE(report.find(body.name), std::string::npos);
    EXPECT_NE(report.find("2034 EQ7"), std::string::npos);
    // Taken back, it is a candidate no more after the next run.
    press(Qt::Key_Delete);
    EXPECT_TRUE(find<QLabel>("sweepWords")->isVisible());
}

} // namespace
} // namespace pathmark::desk
