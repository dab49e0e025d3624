#include "desk/solve/night_curves.h"
#include "desk/solve/residual_map.h"
#include "desk/solve/residual_plots.h"
#include "desk/solve/solve_checks.h"
#include "desk/solve/star_table_model.h"

#include <QLabel>
#include <QPushButton>
#include <QSignalSpy>
#include <QTest>

#include <gtest/gtest.h>

#include <cmath>

namespace pathmark::desk {
namespace {

using solve::MatchStatus;
using solve::StarResidual;

StarResidual star(MatchStatus status, double x, double y, double dx, double magnitude) {
    StarResidual made;
    made.status = status;
    made.pixel = {x, y};
    made.dxPixels = dx;
    made.raArcsec = -dx;
    made.sigmaArcsec = 0.1;
    made.magG = status == MatchStatus::SourceOnly ? std::nan("") : magnitude;
    made.snr = status == MatchStatus::StarOnly ? 0.0 : 50.0;
    return made;
}

/// A frame of 1000 x 500 pixels at one arcsecond each, with stars of every status.
std::shared_ptr<const night::FrameStars> someStars() {
    auto made = std::make_shared<night::FrameStars>(night::FrameStars{
        {detect::Background(frame::Image(64, 64, 100.0F)),
         detect::PointSpreadField(
             {detect::MoffatForm::of(detect::Moffat::round(2.5, 3.0)), 0.0, 0.0, 1, 1, {}}),
         {},
         2.5,
         1.0},
        {1000, 500},
        {},
        {}});
    solve::Solution solution;
    const double scale = Angle::arcsec(1.0).radians();
    solution.wcs.referenceSky = skyDegrees(50.0, 10.0);
    solution.wcs.referencePixel = {500.0, 250.0};
    solution.wcs.cd = {-scale, 0.0, 0.0, scale};
    made->solution = solution;
    made->stars = {star(MatchStatus::Used, 100.0, 100.0, 0.1, 14.0),
                   star(MatchStatus::Used, 900.0, 400.0, -0.2, 12.0),
                   star(MatchStatus::Rejected, 500.0, 250.0, 2.0, 13.0),
                   star(MatchStatus::Unclear, 300.0, 50.0, 0.3, 15.0),
                   star(MatchStatus::SourceOnly, 700.0, 50.0, 0.0, 0.0),
                   star(MatchStatus::StarOnly, 710.0, 450.0, 0.0, 16.0)};
    return made;
}

/// Truth: the stars above, by hand.
TEST(ResidualPlotsTest, EveryStarOfTheFitStandsAtItsMagnitudeAndResidual) {
    ResidualPlots plots;
    plots.setStars(someStars());
    const auto* plot = plots.findChild<Plot*>("residualsByMagnitude");
    ASSERT_NE(plot, nullptr);
    int used = 0;
    int rejected = 0;
    for (const PlotSet& set : plot->sets()) {
        for (const PlotPoint& point : set.points) {
            if (set.role == PlotRole::Agreed) {
                ++used;
                EXPECT_TRUE(point.id == 0 || point.id == 1) << point.id;
            } else if (set.role == PlotRole::Disagrees) {
                ++rejected;
                EXPECT_EQ(point.id, 2);
                EXPECT_EQ(point.x, 13.0);
                // Two arcseconds are far beyond what the used stars scatter by: it stands at the edge, and says its value.
                EXPECT_LE(std::abs(point.y), 0.3);
            }
        }
    }
    EXPECT_EQ(used, 4) << "two stars along two axes";
    EXPECT_EQ(rejected, 2);
    const auto& first = plot->sets().front().points.front();
    EXPECT_EQ(first.x, 14.0);
    EXPECT_NEAR(first.y, -0.1, 1e-12);
    plots.setStars(nullptr);
    EXPECT_TRUE(plot->sets().empty());
}

TEST(NightCurvesTest, FramesWithoutASolutionAreCrossesAndPicksAreFrames) {
    NightSnapshot night;
    for (int i = 0; i < 3; ++i) {
        night::LightRecord light;
        light.raw = "frame_" + std::to_string(i) + ".fits";
        light.rmsArcsec = 0.1 * (i + 1);
        if (i != 1) {
            light.wcs = frame::Wcs();
        }
        night.lights.edit().push_back(light);
    }
    NightCurves curves;
    curves.setNight(&night);
    const auto& residuals = curves.sets()[0];
    ASSERT_EQ(residuals.points.size(), 2U);
    EXPECT_EQ(residuals.points[1].id, 2);
    EXPECT_NEAR(residuals.points[1].y, 0.3, 1e-12);
    EXPECT_TRUE(residuals.points[1].words.startsWith("frame_2.fits"));
    const auto& unsolved = curves.sets()[1];
    ASSERT_EQ(unsolved.points.size(), 1U);
    EXPECT_EQ(unsolved.points[0].id, 1);
    EXPECT_EQ(unsolved.mark, PlotMark::Cross);
}

TEST(ResidualMapTest, AClickFindsTheStarAndNotWhatHasNoResidual) {
    ResidualMap map;
    map.resize(480, 320);
    map.setStars(someStars());
    map.show();
    QSignalSpy chosen(&map, &ResidualMap::starChosen);
    QTest::mouseClick(&map, Qt::LeftButton, {}, map.toMap({900.0, 400.0}).toPoint());
    ASSERT_EQ(chosen.count(), 1);
    EXPECT_EQ(chosen.last().at(0).toInt(), 1);
    QTest::mouseClick(&map, Qt::LeftButton, {}, map.toMap({700.0, 50.0}).toPoint());
    EXPECT_EQ(chosen.count(), 1);
}

TEST(ResidualMapTest, RowsRunUpwardsAndTheFrameKeepsItsShape) {
    ResidualMap map;
    map.resize(480, 320);
    map.setStars(someStars());
    const QPointF low = map.toMap({0.0, 0.0});
    const QPointF high = map.toMap({1000.0, 500.0});
    EXPECT_GT(low.y(), high.y());
    EXPECT_NEAR((high.x() - low.x()) / (low.y() - high.y()), 2.0, 1e-6);
    // Nine arrows in ten are at most as long as one of 16 screen pixels: here the shorter of two.
    EXPECT_NEAR(map.pixelsPerArcsec(), 16.0 / 0.1, 1.0);
}

TEST(StarTableModelTest, RowsAreSortedAndWhatHasNoValueStandsLast) {
    StarTableModel model;
    const auto stars = someStars();
    model.setStars(stars);
    ASSERT_EQ(model.rowCount(), 6);
    for (const auto order : {Qt::AscendingOrder, Qt::DescendingOrder}) {
        model.sort(StarTableModel::Magnitude, order);
        EXPECT_EQ(model.starOf(0), order == Qt::AscendingOrder ? 1 : 5);
        EXPECT_EQ(model.starOf(5), 4);
        EXPECT_EQ(model.data(model.index(5, StarTableModel::Magnitude), Qt::DisplayRole), "–");
    }
    model.sort(StarTableModel::Sigmas, Qt::DescendingOrder);
    EXPECT_EQ(model.starOf(0), 2);
    EXPECT_EQ(model.data(model.index(0, StarTableModel::Sigmas), Qt::DisplayRole), "20.0");
    // FITS counts from 1.
    EXPECT_EQ(model.data(model.index(0, StarTableModel::X), Qt::DisplayRole), "501.0");
}

TEST(StarTableModelTest, OneFateAtATimeAndEachIsCounted) {
    StarTableModel model;
    model.setStars(someStars());
    EXPECT_EQ(model.count(std::nullopt), 6);
    EXPECT_EQ(model.count(MatchStatus::Used), 2);
    model.setStatus(MatchStatus::Rejected);
    ASSERT_EQ(model.rowCount(), 1);
    EXPECT_EQ(model.starOf(0), 2);
    EXPECT_EQ(model.rowOf(2), 0);
    EXPECT_EQ(model.rowOf(0), -1);
    EXPECT_EQ(model.data(model.index(0, StarTableModel::Status), Qt::DisplayRole), "rejected");
    model.setStars(nullptr);
    EXPECT_EQ(model.rowCount(), 0);
}

TEST(SolveChecksTest, TheNumbersAndTheAdviceAreOnTheScreen) {
    SolveChecks checks;
    night::LightRecord light;
    light.problem = "a sentence";
    light.attempt = solve::SolveAttempt{};
    light.attempt->sources = 9;
    light.attempt->starlike = 7;
    checks.setLight(light);
    QString all;
    for (const auto* label : checks.findChildren<QLabel*>()) {
        all += label->text() + "\n";
    }
    EXPECT_TRUE(all.contains("9 sources, 7 of them star-like")) << all.toStdString();
    EXPECT_TRUE(all.contains("clouds and focus"));
    EXPECT_FALSE(all.contains("a sentence"));
    QSignalSpy wanted(&checks, &SolveChecks::handFitWanted);
    QTest::mouseClick(checks.findChild<QPushButton*>("beginHandFit"), Qt::LeftButton);
    EXPECT_EQ(wanted.count(), 1);
    // Records of before the attempt was kept still say their sentence.
    light.attempt.reset();
    checks.setLight(light);
    all.clear();
    for (const auto* label : checks.findChildren<QLabel*>()) {
        all += label->text() + "\n";
    }
    EXPECT_TRUE(all.contains("a sentence"));
}

} // namespace
} // namespace pathmark::desk
