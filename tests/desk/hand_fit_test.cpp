#include "core/night/night_file.h"
#include "core/night/run_night.h"
#include "desk/report/report_bench.h"
#include "desk/ribbon/frame_ribbon.h"
#include "desk/sky/sky_view.h"
#include "desk/solve/hand_fit_session.h"
#include "desk/solve/solve_bench.h"
#include "desk/solve/solve_controller.h"
#include "tests/support/small_night.h"
#include "tests/support/window_test.h"

#include <QLabel>
#include <QPushButton>
#include <QTableView>
#include <QTest>
#include <QWheelEvent>

#include <gtest/gtest.h>

#include <cmath>

namespace pathmark::desk {
namespace {

/// How far the start of the hand fit is from the truth.
constexpr double kOffArcmin = 20.0;
constexpr double kOffDegrees = 40.0;
constexpr double kOffScale = 1.10;

/// The camera stands at 40 degrees; a hand fit begins with north up.
simulate::Scenario turnedScenario() {
    auto scenario = test_support::smallScenario();
    for (auto& series : scenario.series) {
        series.rotationDegrees += kOffDegrees - 2.0;
    }
    return scenario;
}

/// A night that was run; where a test wants it so, its lights are made ones that nothing solved, with a
/// pointing and a scale that are wrong.
class HandFitDeskTest : public test_support::WindowTest {
  protected:
    void SetUp() override {
        test_support::copyNight<turnedScenario>(folder.path() / "night");
        night::RunOptions options;
        options.folder = folder.path() / "night";
        options.recipe = folder.path() / "night" / "recipe.toml";
        options.out = folder.path() / "night" / "results";
        const auto summary = night::runNight(options, {});
        ASSERT_TRUE(summary) << summary.error().detail;
        ASSERT_EQ(summary->solved, 6);
        showWindow();
    }

    void open(bool spoiled) {
        const auto path = folder.path() / "night" / "results" / "night.pmnight";
        if (spoiled) {
            spoil(path);
        }
        window.openNight(QString::fromStdString(path.string()));
        ASSERT_TRUE(waitFor([&] { return sky->picture() != nullptr; }));
        press(Qt::Key_Home);
        press(Qt::Key_3);
        ASSERT_TRUE(waitFor([&] { return controller->look().stars() != nullptr; }));
    }

    void spoil(const std::filesystem::path& path) {
        auto file = night::NightFile::open(path);
        ASSERT_TRUE(file);
        auto lights = file->lights().value();
        truth = *lights.front().wcs;
        for (auto& light : lights) {
            light.wcs.reset();
            light.problem = "Made unsolved by this test.";
            light.attempt = solve::SolveAttempt{};
        }
        ASSERT_TRUE(file->replaceLights(lights));
        auto frames = file->frames().value();
        const auto series = file->seriesOfFrames().value();
        for (auto& info : frames) {
            if (info.path == lights.front().raw) {
                const SkyPos middle = truth.toSky(
                    {0.5 * (lights.front().width - 1), 0.5 * (lights.front().height - 1)});
                const double off = Angle::arcsec(60.0 * kOffArcmin).radians();
                info.pointing = fromTangentPlane(middle, {0.6 * off, 0.8 * off});
                *info.focalMillimetres /= kOffScale;
            }
        }
        ASSERT_TRUE(file->replaceFrames(frames, series));
        first = lights.front().frame;
    }

    static std::map<night::FrameId, night::HandSolution> handFits(const night::NightFile& file) {
        return file.decided().value().handFits;
    }

    void wheel(double notches, Qt::KeyboardModifiers modifiers = {}) {
        const QPointF at(0.5 * sky->width(), 0.5 * sky->height());
        QWheelEvent event(at,
                          sky->mapToGlobal(at),
                          {},
                          {0, static_cast<int>(std::lround(120.0 * notches))},
                          Qt::NoButton,
                          modifiers,
                          Qt::NoScrollPhase,
                          false);
        QCoreApplication::sendEvent(sky, &event);
    }

    /// Drags the stars by so many pixels of the frame, in as many strokes as the window's size asks for.
    void drag(double dx, double dy) {
        const QPointF middle(0.5 * sky->width(), 0.5 * sky->height());
        const auto here = sky->toPixel(middle);
        const QPointF way = sky->toWidget({here.x + dx, here.y + dy}) - middle;
        const int strokes = 1 + static_cast<int>(std::hypot(way.x(), way.y()) / 200.0);
        for (int i = 0; i < strokes; ++i) {
            const QPoint to = (middle + way / strokes).toPoint();
            QTest::mousePress(sky, Qt::LeftButton, {}, middle.toPoint());
            QTest::mouseMove(sky, 0.5 * (middle.toPoint() + to));
            QTest::mouseMove(sky, to);
            QTest::mouseRelease(sky, Qt::LeftButton, {}, to);
        }
    }

    /// Worst distance of two solutions over the frame, in pixels.
    [[nodiscard]] double apart(const frame::Wcs& wcs) const {
        double worst = 0.0;
        for (const double x : {0.0, 320.0, 639.0}) {
            for (const double y : {0.0, 256.0, 511.0}) {
                const auto there = wcs.toPixel(truth.toSky({x, y}));
                worst = std::max(worst, there ? std::hypot(there->x - x, there->y - y) : 1e9);
            }
        }
        return worst;
    }

    /// What an observer does who sees which stars are which.
    void fitByHand() {
        const auto turn = [&] {
            return std::remainder((truth.rotation() - hand().wcs().rotation()).degrees(), 360.0);
        };
        for (int tries = 0; tries < 80 && std::abs(turn()) > 0.5; ++tries) {
            const double before = std::abs(turn());
            wheel(1.0);
            if (std::abs(turn()) > before) {
                wheel(-2.0);
            }
        }
        for (int tries = 0;
             tries < 40 && hand().wcs().scaleArcsec() / truth.scaleArcsec() - 1.0 > 0.006;
             ++tries) {
            wheel(1.0, Qt::ControlModifier);
        }
        const auto place = *hand().wcs().toPixel(truth.toSky({320.0, 256.0}));
        drag(320.0 - place.x, 256.0 - place.y);
    }

    HandFitSession& hand() { return controller->handFit(); }

    NightSession& session = window.session();
    SkyView* sky = window.findChild<SkyView*>("sky");
    SolveController* controller = window.findChild<SolveController*>();
    SolveBench* bench = window.findChild<SolveBench*>("solveBench");
    frame::Wcs
        truth; ///< what the program had found by itself; the simulator's truth is tested elsewhere
    night::FrameId first;
};

TEST_F(HandFitDeskTest, FromFarOffByMouseAndKeysToASolvedSeries) {
    open(true);
    // Begun from the checks, which say what failed.
    auto* begin = window.findChild<QPushButton*>("beginHandFit");
    ASSERT_NE(begin, nullptr);
    QTest::mouseClick(begin, Qt::LeftButton);
    ASSERT_TRUE(hand().isOn());
    ASSERT_TRUE(waitFor([&] { return sky->picture() != nullptr && !sky->picture()->wcs; }));
    const frame::PixelPos middle{319.5, 255.5};
    EXPECT_NEAR(separation(hand().wcs().toSky(middle), truth.toSky(middle)).arcsec(),
                60.0 * kOffArcmin,
                2.0);
    EXPECT_NEAR(hand().wcs().scaleArcsec() / truth.scaleArcsec(), kOffScale, 0.01);
    EXPECT_GT(apart(hand().wcs()), 1000.0);
    const int stray = hand().coincidence().stars;
    press(Qt::Key_V);
    EXPECT_TRUE(hand().wcs().mirrored());
    press(Qt::Key_V);
    EXPECT_FALSE(hand().wcs().mirrored());

    fitByHand();
    EXPECT_LT(apart(hand().wcs()), 12.0);
    EXPECT_GT(hand().coincidence().stars, 2 * stray + 10);
    const auto* figures = window.findChild<QLabel*>("handFigures");
    EXPECT_TRUE(figures->text().startsWith(QString("%1 of").arg(hand().coincidence().stars)));

    const double deep = hand().faintest();
    press(Qt::Key_Comma);
    EXPECT_LT(hand().faintest(), deep);
    press(Qt::Key_Period);
    EXPECT_EQ(hand().faintest(), deep);

    press(Qt::Key_Return);
    ASSERT_TRUE(waitFor([&] { return hand().locked() != nullptr; }))
        << window.message().toStdString();
    EXPECT_LT(apart(hand().locked()->solution->wcs), 0.05);

    // Kept and offered: the next run solves the whole series, and undo takes it back.
    press(Qt::Key_Return, Qt::ShiftModifier);
    EXPECT_FALSE(hand().isOn());
    session.finishStoring();
    const auto file = night::NightFile::open(session.night()->out / "night.pmnight");
    ASSERT_EQ(handFits(*file).size(), 1U);
    ASSERT_TRUE(handFits(*file).contains(first));
    EXPECT_EQ(handFits(*file).at(first).offeredTo.size(), 5U);
    press(Qt::Key_Z, Qt::ControlModifier);
    session.finishStoring();
    EXPECT_TRUE(handFits(*file).empty());
    press(Qt::Key_Z, Qt::ControlModifier | Qt::ShiftModifier);
    press(Qt::Key_R, Qt::ControlModifier);
    ASSERT_TRUE(waitFor([&] { return session.isRunning(); }));
    ASSERT_TRUE(
        waitFor([&] { return !session.isRunning() && session.night()->lights.front().solved(); }));
    EXPECT_EQ(session.night()->lights.front().foundBy, "hand");
    EXPECT_LT(apart(*session.night()->lights.front().wcs), 0.05);
    // Those on the same side of the meridian are it, moved; beyond the flip it is no help, and not trusted.
    EXPECT_EQ(session.night()->lights[1].foundBy, "neighbour");
    EXPECT_EQ(session.night()->lights[2].foundBy, "neighbour");
    EXPECT_EQ(session.night()->lights[3].foundBy, "hint");

    // A kept fit can be taken back days later, whatever was decided since.
    ASSERT_EQ(session.currentFrame(), 0);
    QTest::mouseClick(window.findChild<QPushButton*>("solvePage3"), Qt::LeftButton);
    auto* forget = window.findChild<QPushButton*>("handForget");
    ASSERT_TRUE(waitFor([&] { return forget->isVisible(); }));
    QTest::mouseClick(forget, Qt::LeftButton);
    session.finishStoring();
    EXPECT_TRUE(handFits(*file).empty());
    EXPECT_FALSE(forget->isVisible());
}

TEST_F(HandFitDeskTest, EscapeAndBackspaceUndoWhatTheHandDid) {
    open(true);
    press(Qt::Key_G);
    ASSERT_TRUE(hand().isOn());
    const frame::Wcs start = hand().wcs();
    press(Qt::Key_Right, Qt::ShiftModifier);
    const auto before = *start.toPixel(start.referenceSky);
    const auto after = *hand().wcs().toPixel(start.referenceSky);
    EXPECT_NEAR(sky->toWidget(after).x() - sky->toWidget(before).x(), 10.0, 1e-6);
    press(Qt::Key_Backspace);
    EXPECT_EQ(hand().wcs().referencePixel.x, start.referencePixel.x);
    press(Qt::Key_Escape);
    EXPECT_FALSE(hand().isOn());
    EXPECT_EQ(bench->page(), SolveBench::Field);
    // The wheel zooms again.
    const double zoom = sky->zoom();
    wheel(1.0);
    EXPECT_GT(sky->zoom(), zoom);
}

TEST_F(HandFitDeskTest, AFitFarFromTheTruthIsRefusedOrDoubted) {
    open(true);
    press(Qt::Key_G);
    press(Qt::Key_Return);
    ASSERT_TRUE(waitFor([&] { return !hand().isLocking(); }));
    if (hand().locked()) {
        EXPECT_GT(hand().locked()->solution->falseAlarmLog10, -2.0);
        EXPECT_TRUE(window.findChild<QLabel*>("handResult")->text().contains("△"));
    } else {
        EXPECT_TRUE(window.message().startsWith("△")) << window.message().toStdString();
    }
}

TEST_F(HandFitDeskTest, ASolvedFrameShowsItsStarsAndARowLeadsToTheStar) {
    open(false);
    ASSERT_TRUE(waitFor([&] {
        const auto stars = controller->look().stars();
        return stars && stars->solution;
    }));
    ASSERT_TRUE(waitFor([&] { return sky->picture()->wcs.has_value(); }));
    QTest::mouseClick(window.findChild<QPushButton*>("solvePage1"), Qt::LeftButton);
    auto* rows = window.findChild<QTableView*>("starRows");
    ASSERT_TRUE(waitFor([&] { return rows->isVisible(); }));
    const auto stars = controller->look().stars();
    ASSERT_EQ(rows->model()->rowCount(), static_cast<int>(stars->stars.size()));
    QTest::mouseClick(window.findChild<QPushButton*>("starStatus1"), Qt::LeftButton);
    ASSERT_EQ(rows->model()->rowCount(), stars->solution->usedStars);
    QTest::mouseClick(rows->viewport(),
                      Qt::LeftButton,
                      {},
                      rows->visualRect(rows->model()->index(3, 1)).center());
    // The fourth brightest used star stands in the middle of the Sky.
    int used = 0;
    for (const auto& star : stars->stars) {
        if (star.status == solve::MatchStatus::Used && used++ == 3) {
            const auto place = sky->picture()->wcs->toPixel(stars->solution->wcs.toSky(star.pixel));
            const QPointF off =
                sky->toWidget(*place) - QPointF(0.5 * sky->width(), 0.5 * sky->height());
            EXPECT_LT(off.manhattanLength(), 1.0);
        }
    }
}

} // namespace
} // namespace pathmark::desk
