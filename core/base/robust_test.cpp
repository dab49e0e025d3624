#include "core/base/robust.h"

#include <gtest/gtest.h>

#include <cmath>
#include <limits>
#include <random>

namespace pathmark {
namespace {

/// Truth: the mean and sigma that the draws are made with; tolerances are five standard errors.
TEST(ClippedMomentsTest, FindsTheBulkUnderOutliers) {
    std::mt19937 random(3);
    std::normal_distribution<float> sky(100.0F, 5.0F);
    std::vector<float> values;
    for (int i = 0; i < 20000; ++i) {
        values.push_back(i % 20 == 0 ? 400.0F : sky(random));
    }
    values.push_back(std::numeric_limits<float>::quiet_NaN());
    const RobustMoments moments = clippedMoments(values);
    EXPECT_NEAR(moments.centre, 100.0, 5.0 * 5.0 / std::sqrt(19000.0));
    EXPECT_NEAR(moments.sigma, 5.0, 5.0 * 5.0 / std::sqrt(2.0 * 19000.0));
}

TEST(ClippedMomentsTest, NothingFiniteGivesNothing) {
    std::vector<float> values(4, std::numeric_limits<float>::quiet_NaN());
    EXPECT_EQ(clippedMoments(values).kept, 0);
    EXPECT_TRUE(std::isnan(clippedMoments(values).centre));
}

TEST(MedianTest, OddAndEvenCounts) {
    std::vector<double> odd{5.0, 1.0, 3.0};
    std::vector<double> even{4.0, 1.0, 3.0, 2.0};
    EXPECT_EQ(medianInPlace(std::span(odd)), 3.0);
    EXPECT_EQ(medianInPlace(std::span(even)), 2.5);
}

} // namespace
} // namespace pathmark
