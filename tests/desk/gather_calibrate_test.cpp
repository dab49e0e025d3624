#include "core/night/protected_sky.h"
#include "desk/benches/gather_bench.h"
#include "desk/benches/header_panel.h"
#include "desk/benches/match_map.h"
#include "desk/benches/quality_plot.h"
#include "desk/sky/sky_view.h"
#include "tests/support/small_night.h"
#include "tests/support/window_test.h"

#include <QCheckBox>
#include <QComboBox>
#include <QLineEdit>
#include <QPushButton>
#include <QSignalSpy>
#include <QTableWidget>
#include <QTest>

#include <gtest/gtest.h>

namespace pathmark::desk {
namespace {

/// A folder that nobody has run yet, open in the window.
class GatherCalibrateTest : public test_support::WindowTest {
  protected:
    void SetUp() override {
        test_support::makeSmallNight(folder.path() / "night");
        showWindow();
        window.openNight(QString::fromStdString((folder.path() / "night").string()));
        ASSERT_TRUE(
            waitFor([&] { return session.night() != nullptr && sky->picture() != nullptr; }));
    }

    static void drag(QWidget* widget, const QPointF& from, const QPointF& to) {
        QTest::mousePress(widget, Qt::LeftButton, {}, from.toPoint());
        QTest::mouseMove(widget, (0.5 * (from + to)).toPoint());
        QTest::mouseMove(widget, to.toPoint());
        QTest::mouseRelease(widget, Qt::LeftButton, {}, to.toPoint());
    }

    [[nodiscard]] const calibrate::MasterMatch& match() const {
        return session.night()->matches.begin()->second;
    }

    NightSession& session = window.session();
    SkyView* sky = window.findChild<SkyView*>("sky");
};

TEST_F(GatherCalibrateTest, ALineDraggedAwayIsNoMasterAndUndoBringsItBack) {
    press(Qt::Key_2);
    auto* map = window.findChild<MatchMap*>("matchMap");
    ASSERT_TRUE(waitFor([&] { return map->isVisible(); }));
    const std::size_t series = session.night()->matches.begin()->first;
    ASSERT_NE(match().choice(calibrate::Role::Flat), nullptr);
    drag(map,
         map->socket(series, calibrate::Role::Flat),
         QPointF(0.5 * map->width(), map->height() - 20.0));
    EXPECT_TRUE(waitFor([&] { return match().choice(calibrate::Role::Flat) == nullptr; }));
    ASSERT_FALSE(match().warnings.empty());
    EXPECT_EQ(match().warnings.front(), "No flat is used, because you chose none.");
    press(Qt::Key_Z, Qt::ControlModifier);
    EXPECT_TRUE(waitFor([&] { return match().choice(calibrate::Role::Flat) != nullptr; }));
    EXPECT_FALSE(match().choice(calibrate::Role::Flat)->byHand);
}

/// The stars' width stands in the plot before anything is run, frames fall out by it, and what was seen is not lost where the night is
/// read again.
TEST_F(GatherCalibrateTest, TheQualityOfAFolderIsKnownBeforeARun) {
    const auto isSeen = [&] {
        const auto& lights = session.night()->lights;
        return std::all_of(
            lights.begin(), lights.end(), [](const auto& l) { return l.fwhmPixels > 0.0; });
    };
    ASSERT_TRUE(waitFor(isSeen));
    for (const auto& light : session.night()->lights) {
        EXPECT_GT(light.sources, 20);
        EXPECT_GT(light.noiseElectrons, 1.0);
    }
    press(Qt::Key_1);
    auto* plot = window.findChild<QualityPlot*>("qualityPlot");
    ASSERT_TRUE(waitFor([&] { return plot->isVisible(); }));
    drag(plot->findChild<QWidget*>(QString(), Qt::FindDirectChildrenOnly),
         QPointF(200.0, plot->limitY()),
         QPointF(200.0, plot->markOf(0).y() + 40.0));
    ASSERT_FALSE(plot->fallingOut().empty());
    press(Qt::Key_L);
    ASSERT_TRUE(waitFor([&] {
        const auto& out = session.night()->excluded;
        return std::count(out.begin(), out.end(), true) > 0;
    }));
    EXPECT_TRUE(waitFor(isSeen)) << "the files were read and the night with them";
}

TEST_F(GatherCalibrateTest, ALineDraggedToAMasterIsByHandUntilTakenBack) {
    press(Qt::Key_2);
    auto* map = window.findChild<MatchMap*>("matchMap");
    ASSERT_TRUE(waitFor([&] { return map->isVisible(); }));
    const std::size_t series = session.night()->matches.begin()->first;
    const std::size_t dark = match().choice(calibrate::Role::Dark)->group;
    drag(map, map->socket(series, calibrate::Role::Dark), map->nodeRect(dark).center());
    ASSERT_TRUE(waitFor([&] {
        const auto* feed = match().choice(calibrate::Role::Dark);
        return feed != nullptr && feed->byHand;
    }));
    QTest::mouseDClick(
        map, Qt::LeftButton, {}, map->socket(series, calibrate::Role::Dark).toPoint());
    EXPECT_TRUE(waitFor([&] { return !match().choice(calibrate::Role::Dark)->byHand; }));
}

/// By mouse and key: a coma marked in two frames goes with it through the one between, and Shift+P and Ctrl+Z take marks back.
TEST_F(GatherCalibrateTest, AComaIsMarkedOnTheSky) {
    press(Qt::Key_2);
    auto* button = window.findChild<QPushButton*>("markComa");
    ASSERT_TRUE(waitFor([&] { return button->isVisible(); }));
    const auto marked = [&] { return session.night()->decided->protectedDiscs.size(); };
    const auto draw = [&](double dx) {
        const QPointF from = sky->toWidget({200.0 + dx, 250.0});
        drag(sky, from, sky->toWidget({240.0 + dx, 250.0}));
    };
    draw(0.0);
    EXPECT_EQ(marked(), 0U) << "as long as nobody asked for it the hand moves the picture";
    press(Qt::Key_P);
    EXPECT_TRUE(button->isChecked());
    draw(0.0);
    ASSERT_TRUE(waitFor([&] { return marked() == 1; }));
    const auto disc = session.night()->decided->protectedDiscs.begin()->second;
    EXPECT_NEAR(disc.centre.x, 200.0, 2.0);
    EXPECT_NEAR(disc.centre.y, 250.0, 2.0);
    EXPECT_NEAR(disc.radius, 40.0, 2.0);
    press(Qt::Key_Right);
    press(Qt::Key_Right);
    ASSERT_TRUE(waitFor([&] { return session.currentFrame() == 2 && sky->picture() != nullptr; }));
    draw(60.0);
    ASSERT_TRUE(waitFor([&] { return marked() == 2; }));
    const NightSnapshot& night = *session.night();
    const night::ProtectedSky between(
        night.decided->over(night.calibration), night.decided, *night.frames);
    const frame::FrameInfo* middle = night.infoOf(night.lights[1]);
    ASSERT_NE(middle, nullptr);
    ASSERT_EQ(between.on(*middle).size(), 1U);
    EXPECT_GT(between.on(*middle)[0].centre.x, 210.0);
    EXPECT_LT(between.on(*middle)[0].centre.x, 250.0);
    press(Qt::Key_P, Qt::ShiftModifier);
    EXPECT_TRUE(waitFor([&] { return marked() == 1; }));
    press(Qt::Key_Z, Qt::ControlModifier);
    EXPECT_TRUE(waitFor([&] { return marked() == 2; }));
    press(Qt::Key_1); // another bench: the hand moves the picture again
    draw(100.0);
    EXPECT_EQ(marked(), 2U);
}

TEST_F(GatherCalibrateTest, TheBackgroundIsChosenAndIsADecision) {
    press(Qt::Key_2);
    auto* gradient = window.findChild<QComboBox*>("gradientChoice");
    auto* per = window.findChild<QComboBox*>("gradientPerChoice");
    ASSERT_TRUE(waitFor([&] { return gradient->isVisible(); }));
    EXPECT_EQ(gradient->currentIndex(), 0);
    EXPECT_FALSE(per->isVisible());
    gradient->setFocus();
    QTest::keyClick(gradient, Qt::Key_Down);
    QTest::keyClick(gradient, Qt::Key_Down);
    ASSERT_TRUE(session.night()->decided->background);
    EXPECT_TRUE(session.night()->decided->background->gradient.removed);
    EXPECT_EQ(session.night()->decided->background->gradient.degree, 2);
    EXPECT_TRUE(waitFor([&] { return per->isVisible(); }));
    window.setFocus();
    press(Qt::Key_Z, Qt::ControlModifier);
    press(Qt::Key_Z, Qt::ControlModifier);
    EXPECT_TRUE(waitFor([&] { return gradient->currentIndex() == 0; }))
        << "what is shown is what is in force";
    EXPECT_FALSE(session.night()->decided->background);
}

/// Truth: the frame that was left out in one night, while a copy of it is open.
TEST_F(GatherCalibrateTest, UndoNeverReachesAnotherNight) {
    namespace fs = std::filesystem;
    fs::copy(folder.path() / "night", folder.path() / "other", fs::copy_options::recursive);
    const auto open = [&](const char* name) {
        const fs::path path = folder.path() / name;
        window.openNight(QString::fromStdString(path.string()));
        return waitFor([&] {
            return session.night() != nullptr && session.night()->folder == path &&
                   !session.night()->lights.empty();
        });
    };
    const auto leftOut = [&] { return session.night()->decided->leftOut.size(); };
    press(Qt::Key_X);
    ASSERT_TRUE(waitFor([&] { return leftOut() == 1; }));
    const auto which = session.night()->decided->leftOut.begin()->first;
    ASSERT_TRUE(open("other"));
    EXPECT_EQ(leftOut(), 0U);
    press(Qt::Key_Z, Qt::ControlModifier);
    // A decision of this night's own, and its undo.
    press(Qt::Key_End);
    press(Qt::Key_X);
    ASSERT_TRUE(waitFor([&] { return leftOut() > 0; }));
    EXPECT_EQ(leftOut(), 1U);
    EXPECT_NE(session.night()->decided->leftOut.begin()->first, which);
    press(Qt::Key_Z, Qt::ControlModifier);
    EXPECT_EQ(leftOut(), 0U);
    ASSERT_TRUE(open("night"));
    EXPECT_EQ(leftOut(), 1U);
    EXPECT_EQ(session.night()->decided->leftOut.begin()->first, which);
    press(Qt::Key_Z, Qt::ControlModifier);
    EXPECT_TRUE(waitFor([&] { return leftOut() == 0; }));
}

TEST_F(GatherCalibrateTest, TheHeaderIsSearchedAndComparedAcrossItsSeries) {
    press(Qt::Key_I);
    auto* table = window.findChild<QTableWidget*>("headerTable");
    auto* search = window.findChild<QLineEdit*>("headerSearch");
    ASSERT_TRUE(waitFor([&] { return table->rowCount() > 10; }));
    EXPECT_EQ(table->item(0, 0)->text(), "camera");
    EXPECT_EQ(table->item(0, 1)->text(), "Brack S1");
    QTest::mouseClick(search, Qt::LeftButton);
    QTest::keyClicks(search, "exposure");
    ASSERT_GT(table->rowCount(), 0);
    for (int row = 0; row < table->rowCount(); ++row) {
        const QString all =
            table->item(row, 0)->text() + table->item(row, 1)->text() + table->item(row, 2)->text();
        EXPECT_TRUE(all.contains("exposure", Qt::CaseInsensitive)) << all.toStdString();
    }
    search->clear();
    auto* differences = window.findChild<QCheckBox*>("headerDifferences");
    QTest::mouseClick(differences, Qt::LeftButton, {}, QPoint(8, differences->height() / 2));
    // The times of a series differ, its camera does not.
    ASSERT_TRUE(waitFor([&] {
        bool times = false;
        bool camera = false;
        for (int row = 0; row < table->rowCount(); ++row) {
            times = times || table->item(row, 0)->text().startsWith("DATE-OBS");
            camera = camera || table->item(row, 0)->text() == "INSTRUME";
        }
        return times && !camera;
    }));
}

/// A dark of another temperature hides in a group: its header can be looked at as a light's can.
TEST_F(GatherCalibrateTest, CalibrationFramesHaveTheirHeaderToo) {
    press(Qt::Key_I);
    auto* table = window.findChild<QTableWidget*>("headerTable");
    auto* of = window.findChild<QComboBox*>("headerOf");
    ASSERT_TRUE(waitFor([&] { return table->rowCount() > 10; }));
    const int groups = static_cast<int>(
        std::count_if(session.night()->groups.begin(), session.night()->groups.end(), [](auto& g) {
            return g.example.kind != frame::FrameKind::Light;
        }));
    ASSERT_EQ(of->count(), 1 + groups);
    const int dark = of->findText("dark", Qt::MatchStartsWith);
    ASSERT_GT(dark, 0);
    of->setCurrentIndex(dark);
    const auto valueOf = [&](const QString& what) {
        for (int row = 0; row < table->rowCount(); ++row) {
            if (table->item(row, 0)->text() == what) {
                return table->item(row, 1)->text();
            }
        }
        return QString();
    };
    ASSERT_TRUE(waitFor([&] { return valueOf("kind") == "dark"; }));
    // Another frame in hand leaves it.
    session.step(1);
    EXPECT_EQ(valueOf("kind"), "dark");
    of->setCurrentIndex(0);
    EXPECT_TRUE(waitFor([&] { return valueOf("kind") == "light"; }));
}

TEST_F(GatherCalibrateTest, WhileAKeyIsHeldTheFrameIsSeenAsItCame) {
    const QString before = sky->picture()->title;
    QTest::keyPress(&window, Qt::Key_B);
    EXPECT_TRUE(waitFor([&] { return sky->picture()->title.endsWith("before calibration"); }));
    QTest::keyRelease(&window, Qt::Key_B);
    EXPECT_TRUE(waitFor([&] { return sky->picture()->title == before; }));
}

TEST_F(GatherCalibrateTest, AStrokeShowsItsFrame) {
    press(Qt::Key_1);
    auto* strips = window.findChild<GroupStrips*>("groupStrips");
    ASSERT_TRUE(waitFor([&] { return strips->isVisible(); }));
    const auto& groups = session.night()->groups;
    for (std::size_t g = 0; g < groups.size(); ++g) {
        if (groups[g].example.kind == frame::FrameKind::Light) {
            QTest::mouseClick(
                strips, Qt::LeftButton, {}, strips->strokeOf(g, 3).center().toPoint());
            EXPECT_EQ(session.night()->lights[static_cast<std::size_t>(session.currentFrame())].raw,
                      groups[g].frames[3].path);
            return;
        }
    }
    FAIL() << "no lights";
}

simulate::Scenario twoCameras() {
    simulate::Scenario scenario = test_support::tinyScenario();
    scenario.cameras.push_back(scenario.cameras.front());
    scenario.cameras.back().name = "Brack S2";
    scenario.series.back().camera = "Brack S2";
    return scenario;
}

/// Match map, Sky and Ribbon speak of one frame: stepping takes the map along, a click in the map the Sky.
TEST_F(GatherCalibrateTest, TheMatchMapSpeaksOfTheFrameInHand) {
    const auto night = folder.path() / "two";
    test_support::copyNight<twoCameras>(night);
    window.openNight(QString::fromStdString(night.string()));
    ASSERT_TRUE(waitFor([&] { return session.night() && session.night()->matches->size() == 2; }));
    const auto cameraOf = [&](std::size_t group) {
        return (*session.night()->groups)[group].example.camera;
    };
    press(Qt::Key_2);
    auto* map = window.findChild<MatchMap*>("matchMap");
    ASSERT_TRUE(waitFor([&] { return map->isVisible() && map->seriesInHand(); }));
    press(Qt::Key_End);
    EXPECT_EQ(cameraOf(*map->seriesInHand()), "Brack S2");
    press(Qt::Key_Home);
    EXPECT_EQ(cameraOf(*map->seriesInHand()), "Brack S1");
    for (const auto& match : session.night()->matches) {
        if (cameraOf(match.first) == "Brack S2") {
            QTest::mouseClick(
                map, Qt::LeftButton, {}, map->nodeRect(match.first).center().toPoint());
        }
    }
    EXPECT_EQ(session.currentFrame(), 2) << "the first frame of the other camera";
    EXPECT_EQ(cameraOf(*map->seriesInHand()), "Brack S2");
}

/// Ten lights, the seventh twice as wide as the others.
NightSnapshot tenLights() {
    NightSnapshot night;
    for (int i = 0; i < 10; ++i) {
        night::LightRecord light;
        light.raw = "/n/" + std::to_string(i) + ".fits";
        light.series = night::SeriesId("one");
        light.middle = Utc::julian(2463000.5).plusSeconds(60.0 * i);
        light.fwhmPixels = i == 6 ? 6.0 : 3.0 + 0.02 * i;
        light.noiseElectrons = 10.0;
        light.skyElectrons = 100.0;
        night.lights.edit().push_back(light);
        night.excluded.push_back(false);
    }
    return night;
}

TEST(QualityPlotTest, TheDraggedLineShowsWhatWouldFallOut) {
    const NightSnapshot night = tenLights();
    QualityPlot plot;
    plot.resize(400, 200);
    plot.setNight(&night);
    plot.show();
    ASSERT_TRUE(QTest::qWaitForWindowExposed(&plot));
    QTest::qWait(50);
    EXPECT_EQ(plot.fallingOut(), std::vector<int>{6}) << "1.4 x median to begin with";
    QSignalSpy changed(&plot, &QualityPlot::ruleChanged);
    auto* canvas = plot.findChild<QWidget*>(QString(), Qt::FindDirectChildrenOnly);
    const auto drag = [&](double to) {
        QTest::mousePress(canvas, Qt::LeftButton, {}, QPoint(200, static_cast<int>(plot.limitY())));
        QTest::mouseMove(canvas, QPoint(200, static_cast<int>(to)));
        QTest::mouseRelease(canvas, Qt::LeftButton, {}, QPoint(200, static_cast<int>(to)));
    };
    const QPointF bulk = plot.markOf(0);
    drag(bulk.y() - 1.0); // just above the bulk
    EXPECT_GE(changed.count(), 1);
    EXPECT_GE(plot.fallingOut().size(), 1U);
    EXPECT_EQ(plot.markOf(0), bulk) << "the plot stands still under the hand";
    drag(2.0); // to the top: nothing lies beyond
    EXPECT_TRUE(plot.fallingOut().empty());
    QSignalSpy chosen(&plot, &Plot::picked);
    QTest::mouseClick(canvas, Qt::LeftButton, {}, plot.markOf(3).toPoint());
    ASSERT_EQ(chosen.count(), 1);
    EXPECT_EQ(chosen.front().front().toInt(), 3);
}

} // namespace
} // namespace pathmark::desk
