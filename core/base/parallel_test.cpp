#include "core/base/parallel.h"

#include "core/base/folder_lock.h"
#include "core/base/point_grid.h"
#include "tests/support/temporary_folder.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <atomic>
#include <cmath>
#include <numeric>
#include <random>
#include <stdexcept>

namespace pathmark {
namespace {

class ParallelTest : public testing::TestWithParam<int> {
  protected:
    void SetUp() override { setThreadLimit(GetParam()); }

    void TearDown() override { setThreadLimit(0); }
};

TEST_P(ParallelTest, EveryIndexIsDoneOnce) {
    std::vector<std::atomic<int>> done(5000);
    parallelFor(done.size(), [&](std::size_t i) { ++done[i]; });
    EXPECT_TRUE(std::all_of(done.begin(), done.end(), [](const auto& n) { return n == 1; }));
    parallelFor(0, [&](std::size_t) { FAIL(); });
    std::vector<std::atomic<int>> waited(40);
    overlapFor(waited.size(), 4, [&](std::size_t i) { ++waited[i]; });
    EXPECT_TRUE(std::all_of(waited.begin(), waited.end(), [](const auto& n) { return n == 1; }));
    overlapFor(0, 4, [&](std::size_t) { FAIL(); });
}

TEST_P(ParallelTest, WhatABodyThrowsReachesTheCaller) {
    for (int round = 0; round < 3; ++round) {
        EXPECT_THROW(parallelFor(200,
                                 [](std::size_t i) {
                                     if (i == 77) {
                                         throw std::runtime_error("77");
                                     }
                                 }),
                     std::runtime_error);
        EXPECT_THROW(overlapFor(20,
                                3,
                                [](std::size_t i) {
                                    if (i == 7) {
                                        throw std::runtime_error("7");
                                    }
                                }),
                     std::runtime_error);
    }
}

/// Work within work: bodies that are parallel themselves come to an end.
TEST_P(ParallelTest, BodiesMayBeParallelThemselves) {
    std::vector<double> sums(30);
    parallelFor(sums.size(), [&](std::size_t i) {
        std::vector<double> parts(100);
        parallelFor(parts.size(), [&](std::size_t k) { parts[k] = static_cast<double>(i * k); });
        sums[i] = std::accumulate(parts.begin(), parts.end(), 0.0);
    });
    for (std::size_t i = 0; i < sums.size(); ++i) {
        EXPECT_EQ(sums[i], static_cast<double>(i) * 4950.0);
    }
}

INSTANTIATE_TEST_SUITE_P(Threads, ParallelTest, testing::Values(0, 1, 2, 7));

TEST(ThreadLimitTest, ALimitIsKeptAndZeroIsAllCores) {
    setThreadLimit(3);
    EXPECT_EQ(threadLimit(), 3U);
    setThreadLimit(0);
    EXPECT_GE(threadLimit(), 1U);
}

/// Truth: every distance reckoned.
TEST(PointGridTest, FindsWhatIsNearAndNothingElse) {
    struct Point {
        double x;
        double y;
    };

    std::mt19937 random(9);
    std::uniform_real_distribution<double> anywhere(-20.0, 120.0); // some lie outside the cells
    std::vector<Point> points(800);
    for (Point& p : points) {
        p = {anywhere(random), anywhere(random)};
    }
    const PointGrid<Point> grid(points, 7.0, 0.0, 0.0, 100.0, 90.0);
    for (int n = 0; n < 300; ++n) {
        const Point at{anywhere(random), anywhere(random)};
        const double radius = 0.2 * std::abs(anywhere(random));
        std::vector<std::size_t> found;
        grid.forNear(at.x, at.y, radius, [&](std::size_t i, double squared) {
            found.push_back(i);
            EXPECT_NEAR(
                std::sqrt(squared), std::hypot(points[i].x - at.x, points[i].y - at.y), 1e-9);
        });
        std::sort(found.begin(), found.end());
        std::vector<std::size_t> expected;
        for (std::size_t i = 0; i < points.size(); ++i) {
            if (std::hypot(points[i].x - at.x, points[i].y - at.y) <= radius) {
                expected.push_back(i);
            }
        }
        ASSERT_EQ(found, expected) << at.x << " " << at.y << " " << radius;
    }
}

TEST(FolderLockTest, OneAtATime) {
    const test_support::TemporaryFolder folder;
    {
        auto first = FolderLock::take(folder.path());
        ASSERT_TRUE(first);
        const auto second = FolderLock::take(folder.path());
        ASSERT_FALSE(second);
        EXPECT_EQ(second.error().id, ErrorId::NightInUse);
        // It goes along with its holder.
        const FolderLock moved = std::move(*first);
        EXPECT_FALSE(FolderLock::take(folder.path()));
    }
    EXPECT_TRUE(FolderLock::take(folder.path()));
    const auto none = FolderLock::take(folder / "not there");
    ASSERT_FALSE(none);
    EXPECT_EQ(none.error().id, ErrorId::BaseCannotWrite);
}

} // namespace
} // namespace pathmark
