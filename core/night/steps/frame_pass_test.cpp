#include "core/night/steps/frame_pass.h"

#include <gtest/gtest.h>

namespace pathmark::night {
namespace {

constexpr std::size_t kGigabyte = 1'000'000'000;
constexpr std::size_t kLargeFrame = 26'000'000;

TEST(FramesAtOnceTest, GrowWithTheCores) {
    EXPECT_EQ(framesAtOnce(kLargeFrame, 1, 512 * kGigabyte), 1U);
    EXPECT_EQ(framesAtOnce(kLargeFrame, 2, 512 * kGigabyte), 4U);
    EXPECT_EQ(framesAtOnce(kLargeFrame, 16, 512 * kGigabyte), 32U);
}

TEST(FramesAtOnceTest, NeverTakeMoreThanHalfOfTheMemory) {
    for (const std::size_t gigabytes : {4, 8, 16, 64}) {
        const std::size_t frames = framesAtOnce(kLargeFrame, 64, gigabytes * kGigabyte);
        // Forty bytes for each pixel, as measured.
        EXPECT_LE(frames * kLargeFrame * 40, gigabytes * kGigabyte / 2);
        EXPECT_GT((frames + 1) * kLargeFrame * 40, gigabytes * kGigabyte / 2);
    }
}

TEST(FramesAtOnceTest, OneIsAlwaysWorkedOn) {
    EXPECT_EQ(framesAtOnce(kLargeFrame, 8, kGigabyte / 2), 1U);
    EXPECT_EQ(framesAtOnce(0, 8, 0), 1U);
}

} // namespace
} // namespace pathmark::night
