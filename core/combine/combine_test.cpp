#include "core/combine/combine.h"

#include "core/frame/fits_file.h"
#include "tests/support/temporary_folder.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <array>
#include <bit>
#include <cmath>
#include <cstdint>
#include <limits>
#include <numeric>
#include <random>

namespace pathmark::combine {
namespace {

constexpr std::array kAll{Combination::Mean,
                          Combination::Median,
                          Combination::SigmaClip,
                          Combination::WinsorisedClip,
                          Combination::PercentileClip,
                          Combination::LineClip};

CombineRule ruleOf(Combination combination, double floorSigma = 0.0) {
    CombineRule rule;
    rule.combination = combination;
    rule.floorSigma = floorSigma;
    return rule;
}

class CombinationTest : public testing::TestWithParam<Combination> {};

INSTANTIATE_TEST_SUITE_P(All, CombinationTest, testing::ValuesIn(kAll));

/// Truth: the scatter of the result over seeded normal draws. What a mean of n values costs is sigma / sqrt(n); the
/// published efficiencies (clips at 4 sigma 1, median 0.64 to 0.7, a mean trimmed by 20 % at each end 0.9) bound the rest.
TEST_P(CombinationTest, ScatterAndStatedVarianceAreTrue) {
    std::mt19937 random(1);
    std::normal_distribution<float> noise(1000.0F, 10.0F);
    constexpr int draws = 20000;
    constexpr std::size_t n = 11;
    double squares = 0.0;
    double stated = 0.0;
    for (int i = 0; i < draws; ++i) {
        std::vector<float> values(n);
        for (float& v : values) {
            v = noise(random);
        }
        const auto combined = combineValues(values, ruleOf(GetParam(), 8.0));
        squares += std::pow(static_cast<double>(combined.value) - 1000.0, 2);
        stated += static_cast<double>(combined.variance);
    }
    const double scatter = std::sqrt(squares / draws) / (10.0 / std::sqrt(static_cast<double>(n)));
    const double efficiency = GetParam() == Combination::Median           ? 1.28
                              : GetParam() == Combination::PercentileClip ? 1.08
                              : GetParam() == Combination::LineClip       ? 1.02
                                                                          : 1.01;
    EXPECT_LT(scatter, efficiency + 5.0 / std::sqrt(2.0 * draws));
    const double room = GetParam() == Combination::Median ? 0.12 : 0.06;
    EXPECT_NEAR(stated / squares, 1.0, room);
}

/// Truth: the same values without the hit.
TEST_P(CombinationTest, OneHitAmongManyIsLeftOut) {
    if (GetParam() == Combination::Mean) {
        return; // that is what a mean is for
    }
    std::mt19937 random(2);
    std::normal_distribution<float> noise(500.0F, 5.0F);
    std::vector<float> values(15);
    for (float& v : values) {
        v = noise(random);
    }
    std::vector<float> clean = values;
    clean.erase(clean.begin() + 7);
    values[7] = 30000.0F;
    const float expected = combineValues(clean, ruleOf(GetParam(), 5.0)).value;
    EXPECT_NEAR(combineValues(values, ruleOf(GetParam(), 5.0)).value, expected, 2.0F);
}

/// The kernel for many pixels against the one for one: not a bit apart, NaN and odd sizes included.
TEST_P(CombinationTest, ManyPixelsAtOnceGiveTheSameBits) {
    std::mt19937 random(3);
    std::normal_distribution<float> noise(2000.0F, 20.0F);
    for (const std::size_t frames : {1U, 2U, 3U, 4U, 7U, 16U, 50U}) {
        const std::size_t pixels = 331;
        std::vector<float> columns(frames * pixels);
        for (float& v : columns) {
            v = noise(random);
        }
        columns[3] = std::numeric_limits<float>::quiet_NaN();
        columns[(frames / 2) * pixels + 200] = std::numeric_limits<float>::quiet_NaN();
        for (std::size_t f = 0; f < frames; ++f) {
            columns[f * pixels + 77] = std::numeric_limits<float>::quiet_NaN();
        }
        columns[(frames - 1) * pixels + 9] = 60000.0F;
        std::vector<const float*> rows;
        for (std::size_t f = 0; f < frames; ++f) {
            rows.push_back(columns.data() + f * pixels);
        }
        std::vector<float> value(pixels);
        std::vector<float> variance(pixels);
        const CombineRule rule = ruleOf(GetParam(), 15.0);
        combineColumns(rows, rule, value, variance);
        for (std::size_t i = 0; i < pixels; ++i) {
            std::vector<float> one(frames);
            for (std::size_t f = 0; f < frames; ++f) {
                one[f] = columns[f * pixels + i];
            }
            const auto expected = combineValues(one, rule);
            ASSERT_EQ(std::bit_cast<std::uint32_t>(value[i]),
                      std::bit_cast<std::uint32_t>(expected.value))
                << frames << " frames, pixel " << i << ": " << value[i] << " " << expected.value;
            ASSERT_TRUE(variance[i] == expected.variance ||
                        (std::isnan(variance[i]) && std::isnan(expected.variance)));
        }
    }
}

/// Truth: for any number of frames the sorting network must sort; the median of a permutation of 0..n-1 is (n - 1) / 2.
TEST(CombineValuesTest, EveryNumberOfFramesIsSorted) {
    std::mt19937 random(4);
    for (int n = 3; n <= 130; ++n) {
        for (int round = 0; round < 20; ++round) {
            std::vector<float> values(static_cast<std::size_t>(n));
            std::iota(values.begin(), values.end(), 0.0F);
            std::shuffle(values.begin(), values.end(), random);
            ASSERT_EQ(combineValues(values, ruleOf(Combination::Median)).value,
                      0.5F * static_cast<float>(n - 1))
                << n;
        }
    }
}

TEST(CombineValuesTest, NanIsPassedOver) {
    const float nan = std::numeric_limits<float>::quiet_NaN();
    std::vector<float> values{nan, 4.0F, 6.0F};
    EXPECT_FLOAT_EQ(combineValues(values, ruleOf(Combination::Median)).value, 5.0F);
    std::vector<float> none{nan, nan};
    EXPECT_TRUE(std::isnan(combineValues(none, ruleOf(Combination::Mean)).value));
}

/// Truth: a level that rises from frame to frame by ten times its noise, and one hit: a plain clip about the median
/// cannot see the hit, the line does.
TEST(CombineValuesTest, ALineFollowsADriftingLevel) {
    std::mt19937 random(5);
    std::normal_distribution<float> noise(0.0F, 1.0F);
    std::vector<float> values(21);
    for (std::size_t i = 0; i < values.size(); ++i) {
        values[i] = 1000.0F + 10.0F * static_cast<float>(i) + noise(random);
    }
    values[4] += 90.0F;
    const auto combined = combineValues(values, ruleOf(Combination::LineClip));
    EXPECT_NEAR(combined.value, 1100.0F, 0.8F);
    EXPECT_LT(std::sqrt(combined.variance), 0.4F);
}

TEST(CombineFilesTest, OtherSizesAreNamed) {
    const test_support::TemporaryFolder folder;
    ASSERT_TRUE(frame::writeFits(folder / "a.fits", frame::Image(8, 8, 1.0F), {}));
    ASSERT_TRUE(frame::writeFits(folder / "b.fits", frame::Image(8, 9, 1.0F), {}));
    const std::vector<std::filesystem::path> files{folder / "a.fits", folder / "b.fits"};
    const auto combined = combineFiles(files, ruleOf(Combination::Mean), {}, {});
    ASSERT_FALSE(combined);
    EXPECT_EQ(combined.error().id, ErrorId::CalibrateSizesDiffer);
    EXPECT_EQ(combined.error().subject, files[1].string());
}

/// Truth: the mean of the constants; the variance of the mean of 1..6 by hand, 3.5 / 6.
TEST(CombineFilesTest, ValueAndVarianceOfAWholeFrame) {
    const test_support::TemporaryFolder folder;
    std::vector<std::filesystem::path> files;
    for (int i = 1; i <= 6; ++i) {
        files.push_back(folder / ("f" + std::to_string(i) + ".fits"));
        ASSERT_TRUE(
            frame::writeFits(files.back(), frame::Image(33, 17, static_cast<float>(i)), {}));
    }
    const auto combined = combineFiles(files, ruleOf(Combination::Mean), {}, {});
    ASSERT_TRUE(combined);
    for (const float v : combined->value.pixels()) {
        ASSERT_FLOAT_EQ(v, 3.5F);
    }
    EXPECT_FLOAT_EQ(combined->variance.at(32, 16), 3.5F / 6.0F);
}

TEST(ChooseCombinationTest, FollowsTheCountAndSaysWhy) {
    EXPECT_EQ(chooseCombination(2).combination, Combination::Mean);
    EXPECT_EQ(chooseCombination(4).combination, Combination::Median);
    EXPECT_EQ(chooseCombination(8).combination, Combination::WinsorisedClip);
    EXPECT_EQ(chooseCombination(15).combination, Combination::SigmaClip);
    EXPECT_NE(chooseCombination(15).reason.find("15 frames"), std::string::npos);
    for (const Combination combination : kAll) {
        EXPECT_EQ(combinationNamed(name(combination)), combination);
    }
    EXPECT_FALSE(combinationNamed("avg"));
}

class WeightedTest : public testing::TestWithParam<Combination> {};

INSTANTIATE_TEST_SUITE_P(All, WeightedTest, testing::ValuesIn(kAll));

/// Rows of normal values with an outlier here and there, and some that have no value.
std::vector<std::vector<float>> rowsOf(std::size_t frames, std::size_t pixels, double missing) {
    std::mt19937 random(5);
    std::normal_distribution<float> noise(500.0F, 7.0F);
    std::uniform_real_distribution<double> share(0.0, 1.0);
    std::vector<std::vector<float>> rows(frames, std::vector<float>(pixels));
    for (auto& row : rows) {
        for (float& v : row) {
            v = noise(random) + (share(random) < 0.02 ? 400.0F : 0.0F);
            if (share(random) < missing) {
                v = std::numeric_limits<float>::quiet_NaN();
            }
        }
    }
    return rows;
}

std::vector<const float*> pointersTo(const std::vector<std::vector<float>>& rows) {
    std::vector<const float*> pointers;
    for (const auto& row : rows) {
        pointers.push_back(row.data());
    }
    return pointers;
}

/// Truth: combineColumns, which the masters' tests hold against published efficiencies. With equal weights only the order of
/// the sums differs: some units in the last place of a value of 500.
TEST_P(WeightedTest, EqualWeightsAreNoWeights) {
    for (const double missing : {0.0, 0.1}) {
        const auto rows = rowsOf(9, 333, missing);
        const std::vector<float> weights(9, 0.25F);
        std::vector<float> plain(333), plainVariance(333), value(333), variance(333), weight(333),
            low(333), high(333);
        const auto rule = ruleOf(GetParam(), 5.0);
        combineColumns(pointersTo(rows), rule, plain, plainVariance);
        combineWeighted(pointersTo(rows), weights, rule, {value, variance, weight, low, high});
        for (std::size_t i = 0; i < 333; ++i) {
            ASSERT_NEAR(value[i], plain[i], 2e-3) << i;
            const float n = static_cast<float>(std::count_if(
                rows.begin(), rows.end(), [&](const auto& row) { return std::isfinite(row[i]); }));
            ASSERT_FLOAT_EQ(weight[i] / 0.25F + low[i] + high[i], n) << i;
        }
    }
}

/// Truth: the optimum for values of known scatter is the mean weighted by inverse variances, whose variance is one over the
/// sum of the weights; a scatter of 20 000 draws is known to 0.5 %.
TEST(WeightedTest, InverseVariancesGiveTheSmallestScatter) {
    constexpr std::size_t frames = 12;
    constexpr std::size_t pixels = 20000;
    std::mt19937 random(9);
    std::vector<std::vector<float>> rows(frames, std::vector<float>(pixels));
    std::vector<float> weights;
    double sum = 0.0;
    for (std::size_t f = 0; f < frames; ++f) {
        const double sigma = f % 2 == 0 ? 5.0 : 20.0;
        std::normal_distribution<float> noise(1000.0F, static_cast<float>(sigma));
        for (float& v : rows[f]) {
            v = noise(random);
        }
        weights.push_back(static_cast<float>(1.0 / (sigma * sigma)));
        sum += 1.0 / (sigma * sigma);
    }
    std::vector<float> value(pixels), variance(pixels);
    combineWeighted(
        pointersTo(rows), weights, ruleOf(Combination::Mean), {value, variance, {}, {}, {}});
    double squares = 0.0;
    double stated = 0.0;
    for (std::size_t i = 0; i < pixels; ++i) {
        squares += std::pow(static_cast<double>(value[i]) - 1000.0, 2);
        stated += static_cast<double>(variance[i]);
    }
    EXPECT_NEAR(squares / pixels * sum, 1.0, 0.03);
    // The stated variance is estimated from twelve values of which six carry nearly all the weight.
    EXPECT_NEAR(stated / pixels * sum, 1.0, 0.1);
}

/// Truth: what was put in.
TEST(WeightedTest, WhatIsClippedIsCountedBelowAndAbove) {
    constexpr std::size_t frames = 15;
    std::vector<std::vector<float>> rows(frames, std::vector<float>{100.0F, 100.0F, 100.0F});
    for (std::size_t f = 0; f < frames; ++f) {
        for (float& v : rows[f]) {
            v += static_cast<float>(f % 3) - 1.0F;
        }
    }
    rows[2][0] = 900.0F;
    rows[3][0] = 800.0F;
    rows[4][1] = -700.0F;
    const std::vector<float> weights(frames, 1.0F);
    std::vector<float> value(3), weight(3), low(3), high(3);
    combineWeighted(pointersTo(rows),
                    weights,
                    ruleOf(Combination::SigmaClip, 1.0),
                    {value, {}, weight, low, high});
    EXPECT_EQ(low, (std::vector<float>{0.0F, 1.0F, 0.0F}));
    EXPECT_EQ(high, (std::vector<float>{2.0F, 0.0F, 0.0F}));
    EXPECT_EQ(weight, (std::vector<float>{13.0F, 14.0F, 15.0F}));
    EXPECT_NEAR(value[0], 100.0F, 0.2F);
}

/// Two values: what stands in one frame alone is left out, and what differs as good values do, or as a star's slope does in other
/// seeing, is not.
TEST(WeightedTest, OfTwoAHitIsLeftOut) {
    //                                      sky    hit     star    slope   dark
    const std::vector<std::vector<float>> rows{{3.0F, 700.0F, 900.0F, 500.0F, -90.0F},
                                               {-30.0F, 12.0F, 700.0F, 260.0F, 4.0F}};
    const std::vector<float> weights{1.0F, 1.0F};
    std::vector<float> value(5), weight(5), low(5), high(5);
    combineWeighted(pointersTo(rows),
                    weights,
                    ruleOf(Combination::SigmaClip, 10.0),
                    {value, {}, weight, low, high});
    EXPECT_EQ(value, (std::vector<float>{-13.5F, 12.0F, 800.0F, 380.0F, 4.0F}));
    EXPECT_EQ(high, (std::vector<float>{0.0F, 1.0F, 0.0F, 0.0F, 0.0F}));
    EXPECT_EQ(low, (std::vector<float>{0.0F, 0.0F, 0.0F, 0.0F, 1.0F}));
    EXPECT_EQ(weight, (std::vector<float>{2.0F, 1.0F, 2.0F, 2.0F, 1.0F}));
}

/// Of three values two agree by chance, by much less than their photons make them scatter: the third one is good all the same. Truth: the
/// mean of three Poisson counts scatters by sqrt(count / 3); a floor of the sky's noise alone made it 13 % more.
TEST_P(WeightedTest, PhotonsAreNotClipped) {
    constexpr std::size_t pixels = 20000;
    constexpr double count = 2500.0;
    std::mt19937 random(8);
    std::poisson_distribution<int> photons(count);
    std::vector<std::vector<float>> rows(3, std::vector<float>(pixels));
    for (auto& row : rows) {
        for (float& v : row) {
            v = static_cast<float>(photons(random));
        }
    }
    CombineRule rule = ruleOf(GetParam(), 10.0);
    rule.byMedianDeviation = true;
    rule.floorLight = 1.0;
    const std::vector<float> weights(3, 1.0F);
    std::vector<float> value(pixels), low(pixels), high(pixels);
    combineWeighted(pointersTo(rows), weights, rule, {value, {}, {}, low, high});
    double squares = 0.0;
    double clipped = 0.0;
    for (std::size_t i = 0; i < pixels; ++i) {
        squares += std::pow(static_cast<double>(value[i]) - count, 2);
        clipped += static_cast<double>(low[i] + high[i]);
    }
    if (GetParam() != Combination::PercentileClip) { // cuts whatever it is
        EXPECT_LT(clipped / (3.0 * pixels), 0.001);
    }
    if (GetParam() != Combination::Median) {
        EXPECT_NEAR(std::sqrt(squares / pixels) / std::sqrt(count / 3.0), 1.0, 0.02);
    }
}

TEST(WeightedTest, WhereNoFrameHasAValueThereIsNone) {
    const float nan = std::numeric_limits<float>::quiet_NaN();
    const std::vector<std::vector<float>> rows{{nan, 1.0F}, {nan, nan}};
    const std::vector<float> weights{1.0F, 2.0F};
    std::vector<float> value(2), variance(2), weight(2);
    combineWeighted(
        pointersTo(rows), weights, ruleOf(Combination::Mean), {value, variance, weight, {}, {}});
    EXPECT_TRUE(std::isnan(value[0]));
    EXPECT_EQ(weight[0], 0.0F);
    EXPECT_EQ(value[1], 1.0F);
    EXPECT_EQ(weight[1], 1.0F);
    EXPECT_TRUE(std::isnan(variance[1])) << "one value has no scatter";
}

} // namespace
} // namespace pathmark::combine
