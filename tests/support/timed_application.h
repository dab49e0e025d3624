#pragma once

#include <QApplication>

#include <chrono>
#include <ctime>
#include <fstream>
#include <string>

namespace pathmark::test_support {

/// Times what the window's thread does with each event: what an observer feels as a window that hangs. The time in which the
/// machine gave the processor to others does not count; where the system does not tell that time, only the processor's own counts.
class TimedApplication : public QApplication {
  public:
    using QApplication::QApplication;

    bool notify(QObject* receiver, QEvent* event) override {
        if (depth_++ > 0) { // part of an event that is being timed
            const bool done = QApplication::notify(receiver, event);
            --depth_;
            return done;
        }
        const std::string what = std::string(receiver->metaObject()->className()) + ", event " +
                                 std::to_string(event->type());
        const double waitedBefore = waitedMilliseconds();
        const double processorBefore = processorMilliseconds();
        const auto start = std::chrono::steady_clock::now();
        const bool done = QApplication::notify(receiver, event);
        const std::chrono::duration<double, std::milli> wall =
            std::chrono::steady_clock::now() - start;
        --depth_;
        const double spent = waitedBefore > 0.0
                                 ? wall.count() - (waitedMilliseconds() - waitedBefore)
                                 : processorMilliseconds() - processorBefore;
        if (spent > longest_) {
            longest_ = spent;
            longestWas_ = what;
        }
        return done;
    }

    static void forget() {
        longest_ = 0.0;
        longestWas_.clear();
    }

    /// Milliseconds, and the receiver and number of the event that took them.
    [[nodiscard]] static double longest() { return longest_; }

    [[nodiscard]] static const std::string& longestWas() { return longestWas_; }

  private:
    static double processorMilliseconds() {
        timespec t{};
        clock_gettime(CLOCK_THREAD_CPUTIME_ID, &t);
        return 1e3 * static_cast<double>(t.tv_sec) + 1e-6 * static_cast<double>(t.tv_nsec);
    }

    /// How long this thread could have run and did not; 0 on a system that does not count it.
    static double waitedMilliseconds() {
        double ran = 0.0;
        double waited = 0.0;
        std::ifstream("/proc/thread-self/schedstat") >> ran >> waited;
        return 1e-6 * waited;
    }

    int depth_ = 0;
    static inline double longest_ = 0.0;
    static inline std::string longestWas_;
};

} // namespace pathmark::test_support
