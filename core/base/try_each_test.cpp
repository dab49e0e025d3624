#include "core/base/try_each.h"

#include <gtest/gtest.h>

#include <atomic>
#include <vector>

namespace pathmark {
namespace {

/// On the shared workers, and on threads of its own.
class TryEachTest : public testing::TestWithParam<std::size_t> {};

TEST_P(TryEachTest, AllAreDoneAndTold) {
    std::vector<int> done(30);
    std::vector<int> told; // from under a lock
    Job job;
    job.onProgress = [&](const Progress& p) {
        EXPECT_EQ(p.total, 30);
        told.push_back(p.done);
    };
    const auto all = tryEach(done.size(),
                             job,
                             [&](std::size_t i) -> Result<bool> {
                                 ++done[i];
                                 return true;
                             },
                             {GetParam(), "Working"});
    EXPECT_TRUE(all);
    EXPECT_EQ(done, std::vector<int>(30, 1));
    ASSERT_EQ(told.size(), 30U);
    EXPECT_EQ(told.front(), 0);
    EXPECT_EQ(told.back(), 29);
}

TEST_P(TryEachTest, WhatFailsIsSaidAndEndsTheRest) {
    std::atomic<int> begun = 0;
    const auto all = tryEach(1000,
                             {},
                             [&](std::size_t) -> Result<bool> {
                                 ++begun;
                                 return fail(ErrorId::BaseCannotWrite, "It cannot.");
                             },
                             {GetParam(), nullptr});
    ASSERT_FALSE(all);
    EXPECT_EQ(all.error().id, ErrorId::BaseCannotWrite);
    EXPECT_LT(begun, 1000);
}

TEST_P(TryEachTest, AJobThatIsToStopBeginsNothing) {
    std::stop_source source;
    source.request_stop();
    Job job;
    job.stop = source.get_token();
    const auto all = tryEach(5,
                             job,
                             [](std::size_t) -> Result<bool> {
                                 ADD_FAILURE();
                                 return true;
                             },
                             {GetParam(), "Working"});
    ASSERT_FALSE(all);
    EXPECT_EQ(all.error().id, ErrorId::BaseCancelled);
}

INSTANTIATE_TEST_SUITE_P(Ways, TryEachTest, testing::Values(0, 3));

} // namespace
} // namespace pathmark
