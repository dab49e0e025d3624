#pragma once

#include <QApplication>

#include <algorithm>
#include <ctime>
#include <utility>

namespace pathmark::bench {

/// Of the processor, on this thread.
inline double threadSeconds() {
    timespec t{};
    clock_gettime(CLOCK_THREAD_CPUTIME_ID, &t);
    return static_cast<double>(t.tv_sec) + 1e-9 * static_cast<double>(t.tv_nsec);
}

/// Knows how long the window's thread was busy with one event, or one command, at most.
class TimedApplication : public QApplication {
  public:
    using QApplication::QApplication;

    bool notify(QObject* receiver, QEvent* event) override {
        bool done = false;
        const auto handle = [&] { done = QApplication::notify(receiver, event); };
        time(handle);
        return done;
    }

    template <class F>
    void time(const F& work) {
        const double before = threadSeconds();
        ++depth_;
        work();
        if (--depth_ == 0) { // what is part of an event is timed with it
            longest_ = std::max(longest_, threadSeconds() - before);
        }
    }

    /// Seconds of the processor since the last call.
    double takeLongest() { return std::exchange(longest_, 0.0); }

  private:
    int depth_ = 0;
    double longest_ = 0.0;
};

/// The one of this program.
inline TimedApplication& application() {
    static int argc = 1;
    static char name[] = "bench-desk";
    static char* argv[] = {name, nullptr};
    static auto* app =
        new TimedApplication(argc, argv); // its end would come after that of what it is made of
    return *app;
}

} // namespace pathmark::bench
