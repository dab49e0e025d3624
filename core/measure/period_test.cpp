#include "core/measure/period.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <numbers>
#include <random>
#include <vector>

namespace pathmark::measure {
namespace {

constexpr double kTurn = 2.0 * std::numbers::pi;

/// A turning body's curve with two unequal maxima, seen over nights of seven hours.
std::vector<CurvePoint>
made(double periodDays, double amplitude, double noise, int nights, std::mt19937& random) {
    std::normal_distribution<double> unit(0.0, 1.0);
    const double phase = std::uniform_real_distribution<double>(0.0, 1.0)(random);
    std::vector<CurvePoint> points;
    for (int night = 0; night < nights; ++night) {
        for (int i = 0; i < 60; ++i) {
            const double t = night + 0.29 * i / 60.0;
            const double p = t / periodDays + phase;
            const double light = 0.5 * std::cos(2.0 * kTurn * p) + 0.15 * std::sin(kTurn * p);
            points.push_back({t, 15.0 + amplitude * light + noise * unit(random), noise, 0});
        }
    }
    return points;
}

/// Truth: the period that was drawn. Of curves of 0.05 mag in noise of 0.02 nearly all come out within their error.
TEST(PeriodTest, IsFoundWithinItsError) {
    std::mt19937 random(7);
    int good = 0;
    constexpr int tries = 40;
    for (int k = 0; k < tries; ++k) {
        const double truth = std::uniform_real_distribution<double>(0.12, 0.22)(random);
        const auto points = made(truth, 0.05, 0.02, k % 2 == 0 ? 1 : 3, random);
        const auto period = findPeriod(points, {0.08, 0.29});
        ASSERT_TRUE(period);
        const double off = std::abs(period->days - truth);
        good += off < 3.0 * period->error && off < 0.15 * truth ? 1 : 0;
    }
    EXPECT_GE(good, 34);
}

TEST(PeriodTest, AmplitudeAndChanceHold) {
    std::mt19937 random(9);
    const auto points = made(0.18, 0.4, 0.01, 1, random);
    const auto period = findPeriod(points, usualRange(points));
    ASSERT_TRUE(period);
    EXPECT_NEAR(period->days, 0.18, 4.0 * period->error);
    // From the faintest to the brightest of the series drawn above, by its own values.
    double low = 1e9;
    double high = -1e9;
    for (int i = 0; i < 1000; ++i) {
        const double p = i / 1000.0;
        const double light = 0.5 * std::cos(2.0 * kTurn * p) + 0.15 * std::sin(kTurn * p);
        low = std::min(low, light);
        high = std::max(high, light);
    }
    EXPECT_NEAR(period->amplitude, 0.4 * (high - low), 0.02);
    EXPECT_LT(period->falseAlarmLog10, -20.0);
    EXPECT_NEAR(period->chiSquare, 1.0, 0.5);
}

/// Noise alone is not called a period: the chance says so.
TEST(PeriodTest, NoiseHasNoSmallChance) {
    std::mt19937 random(21);
    int small = 0;
    for (int k = 0; k < 40; ++k) {
        const auto points = made(0.15, 0.0, 0.02, 1, random);
        const auto period = findPeriod(points, {0.06, 0.29});
        small += period && period->falseAlarmLog10 < -2.0 ? 1 : 0;
    }
    EXPECT_LE(small, 3);
}

TEST(PeriodTest, TooFewPointsHaveNone) {
    std::mt19937 random(3);
    auto points = made(0.15, 0.3, 0.01, 1, random);
    points.resize(9);
    EXPECT_FALSE(findPeriod(points, {0.05, 0.3}));
    points.resize(3);
    EXPECT_FALSE(findPeriod(points, {0.05, 0.3}));
    EXPECT_FALSE(findPeriod({}, {0.05, 0.3}));
}

/// Truth: the period drawn, whose two waves are nearly alike: half of it fits as well, and one of both is found, the other named.
TEST(PeriodTest, HalfAndWholeAreAliases) {
    std::mt19937 random(12);
    std::normal_distribution<double> unit(0.0, 1.0);
    std::vector<CurvePoint> points;
    for (int i = 0; i < 90; ++i) {
        const int night = i / 30;
        const double t = night + 0.28 * (i % 30) / 30.0;
        const double light = 0.2 * std::cos(2.0 * kTurn * t / 0.19);
        points.push_back({t, 14.0 + light + 0.02 * unit(random), 0.02, 0});
    }
    const auto period = findPeriod(points, {0.05, 0.3});
    ASSERT_TRUE(period);
    const auto isNear = [](double days, double truth) { return std::abs(days - truth) < 0.003; };
    ASSERT_TRUE(isNear(period->days, 0.19) || isNear(period->days, 0.095)) << period->days;
    const double other = isNear(period->days, 0.19) ? 0.095 : 0.19;
    EXPECT_TRUE(std::any_of(period->aliasDays.begin(), period->aliasDays.end(), [&](double days) {
        return isNear(days, other);
    }));
}

/// Truth: the series drawn. The gain is highest at its period, and the folded curve is the series.
TEST(PeriodTest, PeriodogramAndFoldedCurveShowTheSeries) {
    std::mt19937 random(15);
    const auto points = made(0.18, 0.4, 0.01, 2, random);
    const PeriodRange range{0.1, 0.28};
    const auto trials = periodogram(points, range, 2);
    ASSERT_GT(trials.size(), 50U);
    EXPECT_NEAR(trials.front().days, range.longestDays, 1e-9);
    const auto best = std::max_element(
        trials.begin(), trials.end(), [](const auto& a, const auto& b) { return a.gain < b.gain; });
    EXPECT_NEAR(best->days, 0.18, 0.004);
    EXPECT_GT(best->gain, 0.95);
    const auto folded = foldedCurve(points, 0.18, 2, 60);
    const auto [low, high] = std::minmax_element(folded.begin(), folded.end());
    double truthLow = 1e9;
    double truthHigh = -1e9;
    for (int i = 0; i < 1000; ++i) {
        const double p = i / 1000.0;
        const double light = 0.5 * std::cos(2.0 * kTurn * p) + 0.15 * std::sin(kTurn * p);
        truthLow = std::min(truthLow, 0.4 * light);
        truthHigh = std::max(truthHigh, 0.4 * light);
    }
    EXPECT_NEAR(*high - *low, truthHigh - truthLow, 0.01);
    EXPECT_TRUE(periodogram(std::span(points).first(5), range, 2).empty());
}

} // namespace
} // namespace pathmark::measure
