#include "desk/curve/curve_plots.h"

#include <gtest/gtest.h>

#include <cmath>
#include <numbers>

namespace pathmark::desk {
namespace {

/// Twenty-four frames ten minutes apart of one body, whose light goes round in two hours, and of two stars.
class CurvePlotsTest : public testing::Test {
  protected:
    CurvePlotsTest() {
        lights_.targets.push_back({"(7)", std::nullopt, skyDegrees(10.0, 5.0)});
        for (const std::int64_t id : {101, 102}) {
            catalog::Star star;
            star.sourceId = id;
            star.magG = 14.0;
            star.colour = 0.88;
            lights_.stars.push_back(star);
        }
        auto& frames = lights_.byBand[catalog::Band::R];
        curves_.band = catalog::Band::R;
        curves_.targets.emplace_back();
        for (int f = 0; f < 24; ++f) {
            const Utc time = parseUtc("2034-03-17T20:00:00")->plusSeconds(600.0 * f);
            night::LightFrame frame;
            frame.middle = time;
            frame.exposureSeconds = 1.0;
            frame.stars = {{10000.0, 50.0, 0}, {f % 2 == 0 ? 4000.0 : 4400.0, 40.0, 0}};
            frames.push_back(frame);
            night::TargetPoint point;
            point.time = time;
            point.julianTdb = time.julian();
            point.mag = 16.0 + 0.2 * std::cos(2.0 * std::numbers::pi * f / 12.0);
            point.magError = 0.01;
            curves_.targets[0].points.push_back(point);
            curves_.ensemble.frames.push_back({25.0, 0.0, 0.003, 10});
            curves_.frames.push_back({"f", time, 25.0, 0.003, 0.0});
        }
        curves_.targets[0].points[3].flags = {"passing_star"};
        curves_.stars.resize(2);
        curves_.stars[0].star = lights_.stars[0];
        curves_.stars[0].scatter = {15.0, 0.005, 0.006, 0.7, 0.7, 24, true};
        curves_.stars[1].star = lights_.stars[1];
        curves_.stars[1].scatter = {16.0, 0.05, 0.01, 25.0, 25.0, 24, false};
        curves_.stars[1].variable = true;
        curves_.check = 0;
    }

    night::FieldLights lights_;
    night::BandCurves curves_;
};

TEST_F(CurvePlotsTest, FlaggedPointsStandApartAndAStarLiesBelow) {
    const auto sets = curveSets(lights_, curves_, {0, -1, std::nullopt});
    ASSERT_EQ(sets.size(), 3U);
    EXPECT_EQ(sets[0].points.size(), 23U);
    ASSERT_EQ(sets[1].points.size(), 1U);
    EXPECT_EQ(sets[1].points[0].id, 3);
    EXPECT_NE(sets[0].mark, sets[1].mark) << "not by colour alone";
    EXPECT_EQ(sets[2].panel, 1);
    ASSERT_EQ(sets[2].points.size(), 24U);
    // 25 - 2.5 log 10000
    EXPECT_NEAR(sets[2].points[0].y, 15.0, 1e-9);
    // Photons and the frame's zero point.
    EXPECT_NEAR(sets[2].points[0].error, std::hypot(1.0857 * 0.005, 0.003), 1e-6);
    EXPECT_NEAR(sets[2].points[1].x - sets[2].points[0].x, 600.0, 1e-3);
}

TEST_F(CurvePlotsTest, FoldedPointsOfOnePhaseLieTogetherOnTheFittedLine) {
    const auto sets = curveSets(lights_, curves_, {0, 1, 2.0 / 24.0});
    ASSERT_EQ(sets.size(), 4U);
    const auto& good = sets[1].points;
    EXPECT_NEAR(good[0].x, 0.0, 1e-9);
    // Twelve frames on, two hours later.
    const double apart = std::abs(good[11].x - good[0].x);
    EXPECT_NEAR(std::min(apart, 1.0 - apart), 0.0, 1e-6);
    for (const PlotPoint& point : good) {
        const auto& line = sets[0].points;
        const auto at = static_cast<std::size_t>(point.x * static_cast<double>(line.size()));
        EXPECT_NEAR(line[std::min(at, line.size() - 1)].y, point.y, 0.01);
    }
    EXPECT_EQ(sets[3].name, "star in hand");
}

TEST_F(CurvePlotsTest, AVariableStarStandsOutOfTheScatter) {
    const auto sets = scatterSets(curves_);
    ASSERT_EQ(sets.size(), 4U);
    ASSERT_EQ(sets[2].points.size(), 1U);
    ASSERT_EQ(sets[3].points.size(), 1U);
    EXPECT_EQ(sets[3].points[0].id, 1);
    EXPECT_NEAR(sets[3].points[0].y, std::log10(0.05), 1e-12);
    EXPECT_NEAR(sets[0].points[0].y, std::log10(0.006), 1e-12);
    EXPECT_EQ(starsByScatter(curves_), (std::vector<int>{1, 0}));
    EXPECT_TRUE(starWords(curves_, 1).contains("varies"));
    EXPECT_TRUE(starWords(curves_, 0).contains("the check star"));
    curves_.stars[1].flags = {"saturated"};
    curves_.stars[1].scatter.points = 0;
    EXPECT_TRUE(starWords(curves_, 1).contains("not measured"));
    EXPECT_TRUE(starWords(curves_, 1).contains("saturated"));
}

TEST_F(CurvePlotsTest, WordsOfACurveSayThePeriodAndItsAliases) {
    EXPECT_TRUE(targetWords(curves_.targets[0]).contains("23 of 24 points are good"));
    measure::Period period;
    period.days = 2.0 / 24.0;
    period.error = 0.01 / 24.0;
    period.amplitude = 0.4;
    period.falseAlarmLog10 = -17.2;
    period.aliasDays = {1.0 / 24.0};
    curves_.targets[0].period = period;
    const QString words = targetWords(curves_.targets[0]);
    EXPECT_TRUE(words.contains("period 2.000 ± 0.010 h")) << words.toStdString();
    EXPECT_TRUE(words.contains(QString::fromUtf8("10⁻¹⁷"))) << words.toStdString();
    EXPECT_TRUE(words.contains("as good: 1.00 h")) << words.toStdString();
}

} // namespace
} // namespace pathmark::desk
