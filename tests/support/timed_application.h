#pragma once

#include <QApplication>

#include <chrono>
#include <ctime>
#include <string>

namespace pathmark::test_support {

/// An event that took its time.
struct TimedEvent {
    double milliseconds = 0.0;
    std::string was; ///< its receiver and number
};

/// Times what the window's thread does with each event: what an observer feels as a window that hangs. Two clocks are kept: the
/// processor's, which is what our own code took, and the wall's, which holds waiting for locks, disks and a busy machine too.
class TimedApplication : public QApplication {
  public:
    using QApplication::QApplication;

    bool notify(QObject* receiver, QEvent* event) override {
        if (depth_++ > 0) { // part of an event that is being timed
            const bool done = QApplication::notify(receiver, event);
            --depth_;
            return done;
        }
        const double processorBefore = processorMilliseconds();
        const auto start = std::chrono::steady_clock::now();
        const char* what = receiver->metaObject()->className();
        const int type = event->type();
        const bool done = QApplication::notify(receiver, event);
        const std::chrono::duration<double, std::milli> wall =
            std::chrono::steady_clock::now() - start;
        --depth_;
        keepLonger(longest_, processorMilliseconds() - processorBefore, what, type);
        keepLonger(longestWait_, wall.count(), what, type);
        return done;
    }

    static void forget() {
        longest_ = {};
        longestWait_ = {};
    }

    /// The event that took most of the processor.
    [[nodiscard]] static const TimedEvent& longest() { return longest_; }

    /// The event that took longest on the wall's clock.
    [[nodiscard]] static const TimedEvent& longestWait() { return longestWait_; }

  private:
    static double processorMilliseconds() {
        timespec t{};
        clock_gettime(CLOCK_THREAD_CPUTIME_ID, &t);
        return 1e3 * static_cast<double>(t.tv_sec) + 1e-6 * static_cast<double>(t.tv_nsec);
    }

    static void keepLonger(TimedEvent& kept, double milliseconds, const char* what, int type) {
        if (milliseconds > kept.milliseconds) {
            kept = {milliseconds, std::string(what) + ", event " + std::to_string(type)};
        }
    }

    int depth_ = 0;
    static inline TimedEvent longest_;
    static inline TimedEvent longestWait_;
};

} // namespace pathmark::test_support
