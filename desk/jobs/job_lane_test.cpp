#include "desk/jobs/job_lane.h"

#include <QCoreApplication>
#include <QSignalSpy>
#include <QTest>
#include <QThread>

#include <gtest/gtest.h>

#include <atomic>
#include <cerrno>
#include <functional>
#include <new>
#include <optional>
#include <semaphore>
#include <system_error>
#include <vector>

namespace pathmark::desk {
namespace {

bool waitFor(const std::function<bool()>& done) {
    return QTest::qWaitFor(done, 10000);
}

class JobLaneTest : public testing::Test {
  protected:
    JobRunner runner;
};

TEST_F(JobLaneTest, ResultsComeInOrderInTheWindowsThread) {
    JobLane lane(runner, 1);
    std::vector<int> told;
    const QThread* window = QThread::currentThread();
    for (int i = 0; i < 20; ++i) {
        lane.start(
            [i, window] {
                EXPECT_NE(QThread::currentThread(), window);
                return i * i;
            },
            [&](int square) {
                EXPECT_EQ(QThread::currentThread(), window);
                told.push_back(square);
            });
    }
    EXPECT_TRUE(lane.isBusy());
    ASSERT_TRUE(waitFor([&] { return told.size() == 20; }));
    for (int i = 0; i < 20; ++i) {
        EXPECT_EQ(told[static_cast<std::size_t>(i)], i * i);
    }
    EXPECT_FALSE(lane.isBusy());
}

/// Truth: a machine without memory. What was asked for ends in an error, and the lane goes on.
TEST_F(JobLaneTest, WhatTheMachineHasNoRoomForIsAnError) {
    JobLane lane(runner, 1);
    std::optional<Error> told;
    QStringList messages;
    QObject::connect(
        &lane, &JobLane::messageSent, [&](const QString& text) { messages.push_back(text); });
    bool isDone = false;
    lane.start([]() -> Result<int> { throw std::bad_alloc(); },
               [&](const Result<int>& result) {
                   told = result ? std::optional<Error>() : result.error();
               });
    lane.start([]() -> int { throw std::system_error(EAGAIN, std::system_category()); },
               [](int) { FAIL() << "there is nothing to tell"; });
    lane.start([] { return 1; }, [&](int) { isDone = true; });
    ASSERT_TRUE(waitFor([&] { return isDone; }));
    ASSERT_TRUE(told);
    EXPECT_EQ(told->id, ErrorId::BaseNoRoom);
    EXPECT_EQ(messages.size(), 1);
    EXPECT_FALSE(lane.isBusy());
}

TEST_F(JobLaneTest, NoMoreRunAtOnceThanTheLaneAllows) {
    JobLane lane(runner, 2);
    std::atomic<int> running = 0;
    std::atomic<int> most = 0;
    int done = 0;
    for (int i = 0; i < 12; ++i) {
        lane.start(
            [&] {
                const int now = ++running;
                int known = most;
                while (now > known && !most.compare_exchange_weak(known, now)) {
                }
                QThread::msleep(5);
                --running;
                return 0;
            },
            [&](int) { ++done; });
    }
    ASSERT_TRUE(waitFor([&] { return done == 12; }));
    EXPECT_EQ(most, 2);
}

TEST_F(JobLaneTest, WhatIsDroppedTellsNothingAndWhatWaitsIsNotBegun) {
    JobLane lane(runner, 1);
    std::binary_semaphore begun(0);
    std::binary_semaphore go(0);
    std::atomic<bool> asked = false;
    std::atomic<int> started = 0;
    int told = 0;
    lane.start(
        [&](const Job& job) {
            ++started;
            begun.release();
            go.acquire();
            asked = job.stop.stop_requested();
            job.progress("late", 1, 2);
            return 1;
        },
        [&](int) { ++told; });
    lane.start([&] { return ++started; }, [&](int) { ++told; });
    begun.acquire();
    QSignalSpy progress(&lane, &JobLane::progressed);
    lane.drop();
    EXPECT_FALSE(lane.isBusy());
    lane.start([] { return 7; }, [&](int seven) { told += 10 * seven; });
    go.release();
    ASSERT_TRUE(waitFor([&] { return told > 0; }));
    EXPECT_EQ(told, 70) << "only what was started afterwards";
    EXPECT_TRUE(asked) << "the running one is asked to stop";
    EXPECT_EQ(started, 1);
    EXPECT_TRUE(progress.isEmpty());
}

TEST_F(JobLaneTest, StoppedWorkTellsItsResultAndLaterWorkIsNotStopped) {
    JobLane lane(runner, 1);
    std::optional<bool> first;
    std::optional<bool> second;
    lane.start(
        [](const Job& job) {
            while (!job.stop.stop_requested()) {
                QThread::msleep(1);
            }
            return true;
        },
        [&](bool stopped) { first = stopped; });
    lane.stop();
    ASSERT_TRUE(waitFor([&] { return first.has_value(); }));
    lane.start([](const Job& job) { return job.stop.stop_requested(); },
               [&](bool stopped) { second = stopped; });
    ASSERT_TRUE(waitFor([&] { return second.has_value(); }));
    EXPECT_FALSE(*second);
}

TEST_F(JobLaneTest, ProgressSaysHowLongIsLeft) {
    JobLane lane(runner, 1);
    QSignalSpy progress(&lane, &JobLane::progressed);
    QSignalSpy words(&lane, &JobLane::messageSent);
    bool done = false;
    lane.start(
        [](const Job& job) {
            job.progress("Reading", 0, 4);
            QThread::msleep(100);
            job.progress("Reading", 1, 4);
            job.message("a word");
            return 0;
        },
        [&](int) { done = true; });
    ASSERT_TRUE(waitFor([&] { return done; }));
    ASSERT_EQ(progress.count(), 2);
    EXPECT_LT(progress[0][3].toDouble(), 0.0) << "not known yet";
    EXPECT_GE(progress[1][3].toDouble(), 0.25) << "three more of a tenth of a second";
    ASSERT_EQ(words.count(), 1);
    EXPECT_EQ(words[0][0].toString(), "a word");
}

TEST_F(JobLaneTest, ALaneThatIsGoneTellsNothing) {
    int told = 0;
    std::binary_semaphore begun(0);
    {
        JobLane lane(runner, 1);
        lane.start(
            [&] {
                begun.release();
                QThread::msleep(20);
                return 0;
            },
            [&](int) { ++told; });
        begun.acquire();
    }
    QThread::msleep(40);
    QCoreApplication::processEvents();
    EXPECT_EQ(told, 0);
}

TEST_F(JobLaneTest, FinishingWaitsForAllThatWasStarted) {
    JobLane lane(runner, 1);
    std::atomic<int> done = 0;
    for (int i = 0; i < 5; ++i) {
        lane.start(
            [&] {
                QThread::msleep(3);
                return ++done;
            },
            [](int) {});
    }
    lane.finish();
    EXPECT_EQ(done, 5);
}

TEST(JobRunnerTest, AtTheEndWhatWaitsIsNotBegun) {
    std::atomic<int> started = 0;
    std::optional<JobLane> lane; // outlives the runner, as views outlive the session
    {
        JobRunner runner;
        lane.emplace(runner, 1);
        std::binary_semaphore begun(0);
        lane->start(
            [&] {
                ++started;
                begun.release();
                QThread::msleep(30);
                return 0;
            },
            [](int) {});
        for (int i = 0; i < 50; ++i) {
            lane->start([&] { return ++started; }, [](int) {});
        }
        begun.acquire();
    }
    EXPECT_EQ(started, 1);
}

} // namespace
} // namespace pathmark::desk
