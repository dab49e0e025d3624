#include "core/calibrate/combine.h"

#include "core/frame/fits_file.h"
#include "tests/support/temporary_folder.h"

#include <gtest/gtest.h>

#include <cmath>
#include <limits>
#include <random>

namespace pathmark::calibrate {
namespace {

TEST(CombineValuesTest, OneHitAmongManyIsLeftOut) {
    std::vector<float> values{10.0F, 11.0F, 9.0F, 10.5F, 9.5F, 900.0F};
    EXPECT_FLOAT_EQ(combineValues(values, Combination::ClippedMean, 1.0, 4.0), 10.0F);
}

TEST(CombineValuesTest, NanIsPassedOver) {
    const float nan = std::numeric_limits<float>::quiet_NaN();
    std::vector<float> values{nan, 4.0F, 6.0F};
    EXPECT_FLOAT_EQ(combineValues(values, Combination::Median, 0.0, 4.0), 5.0F);
    std::vector<float> none{nan, nan};
    EXPECT_TRUE(std::isnan(combineValues(none, Combination::Mean, 0.0, 4.0)));
}

/// Truth: the mean of n normal draws scatters by sigma / sqrt(n); clipping at 4 sigma may cost 2 % at most.
TEST(CombineValuesTest, ClippingCostsNextToNothing) {
    std::mt19937 random(1);
    std::normal_distribution<float> noise(0.0F, 1.0F);
    double squares = 0.0;
    constexpr int draws = 20000;
    for (int i = 0; i < draws; ++i) {
        std::vector<float> values(9);
        for (float& v : values) {
            v = noise(random);
        }
        const auto mean =
            static_cast<double>(combineValues(values, Combination::ClippedMean, 1.0, 4.0));
        squares += mean * mean;
    }
    EXPECT_LT(std::sqrt(squares / draws) * 3.0, 1.02 + 5.0 / std::sqrt(2.0 * draws));
}

TEST(CombineFilesTest, OtherSizesAreNamed) {
    const test_support::TemporaryFolder folder;
    ASSERT_TRUE(frame::writeFits(folder / "a.fits", frame::Image(8, 8, 1.0F), {}));
    ASSERT_TRUE(frame::writeFits(folder / "b.fits", frame::Image(8, 9, 1.0F), {}));
    const std::vector<std::filesystem::path> files{folder / "a.fits", folder / "b.fits"};
    const auto combined = combineFiles(files, Combination::Mean, {}, {});
    ASSERT_FALSE(combined);
    EXPECT_EQ(combined.error().id, ErrorId::CalibrateSizesDiffer);
    EXPECT_EQ(combined.error().subject, files[1].string());
}

TEST(ChooseCombinationTest, FollowsTheCountAndSaysWhy) {
    EXPECT_EQ(chooseCombination(2).combination, Combination::Mean);
    EXPECT_EQ(chooseCombination(4).combination, Combination::Median);
    EXPECT_EQ(chooseCombination(15).combination, Combination::ClippedMean);
    EXPECT_NE(chooseCombination(15).reason.find("15 frames"), std::string::npos);
}

} // namespace
} // namespace pathmark::calibrate
