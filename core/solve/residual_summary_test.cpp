#include "core/solve/residual_summary.h"

#include <gtest/gtest.h>

#include <random>

namespace pathmark::solve {
namespace {

StarResidual usedAt(double x, double y, double dx, double dy) {
    StarResidual star;
    star.pixel = {x, y};
    star.dxPixels = dx;
    star.dyPixels = dy;
    return star;
}

/// Truth: a residual that grows along x, with noise and a tenth of wild stars.
TEST(ResidualSummaryTest, CellsShowThePatternThroughNoiseAndOutliers) {
    std::mt19937 random(3);
    std::uniform_real_distribution<double> place(0.0, 1.0);
    std::normal_distribution<double> noise(0.0, 0.1);
    std::vector<StarResidual> stars;
    for (int i = 0; i < 4000; ++i) {
        const double x = 1200.0 * place(random);
        const double wild = i % 10 == 0 ? 3.0 : 0.0;
        stars.push_back(
            usedAt(x, 800.0 * place(random), 1e-3 * x + noise(random) + wild, noise(random)));
    }
    stars.push_back(usedAt(600.0, 400.0, 50.0, 50.0));
    stars.back().status = MatchStatus::Rejected;
    const auto cells = residualCells(stars, {1200, 800}, 6);
    ASSERT_EQ(cells.size(), 24U);
    int members = 0;
    for (const ResidualCell& cell : cells) {
        members += cell.stars;
        // A tenth of outliers on one side pulls a median by an eighth of the scatter.
        EXPECT_NEAR(cell.dxPixels, 1e-3 * cell.middle.x, 0.02 + 5.0 * cell.sigmaPixels);
        EXPECT_NEAR(cell.dyPixels, 0.0, 5.0 * cell.sigmaPixels);
        EXPECT_GT(cell.sigmaPixels, 0.004);
        EXPECT_LT(cell.sigmaPixels, 0.02);
    }
    EXPECT_EQ(members, 4000);
}

TEST(ResidualSummaryTest, CellsWithFewStarsAreLeftOut) {
    std::vector<StarResidual> stars(3, usedAt(10.0, 10.0, 1.0, 1.0));
    EXPECT_TRUE(residualCells(stars, {100, 100}, 2).empty());
    stars.push_back(usedAt(99.9, 99.9, 1.0, 1.0));
    stars.push_back(usedAt(11.0, 11.0, 2.0, 1.0));
    ASSERT_EQ(residualCells(stars, {100, 100}, 2).size(), 1U);
}

TEST(ResidualSummaryTest, ATrendFollowsItsPointsAndPassesOverWhatIsUnknown) {
    std::vector<TrendPoint> points;
    for (int i = 0; i < 100; ++i) {
        points.push_back({99.0 - i, 2.0 * (99.0 - i) + (i % 2 == 0 ? 1.0 : -1.0)});
    }
    points.push_back({std::nan(""), 4.0});
    points.push_back({4.0, std::nan("")});
    const auto trend = trendOf(points, 5);
    ASSERT_EQ(trend.size(), 5U);
    for (const TrendBin& bin : trend) {
        EXPECT_EQ(bin.points, 20);
        EXPECT_NEAR(bin.median, 2.0 * bin.at, 2.0);
    }
    EXPECT_LT(trend.front().at, trend.back().at);
    EXPECT_EQ(trendOf({{1.0, 2.0}, {2.0, 3.0}}, 5).size(), 0U);
}

} // namespace
} // namespace pathmark::solve
