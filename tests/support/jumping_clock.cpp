// Preloaded into the program under test: the clock on the wall jumps to and fro, as when somebody sets it or a time service does.
//   PATHMARK_CLOCK_JUMP  seconds by which it is off; the sign changes with every reading
// The steady clock goes on steadily, as the system's does.
#include "tests/support/next_symbol.h"

#include <sys/time.h>
#include <time.h>

#include <atomic>
#include <cstdlib>

namespace {

using pathmark::test_support::next;

long jump() {
    static const long seconds = [] {
        const char* text = std::getenv("PATHMARK_CLOCK_JUMP");
        return text == nullptr ? 0L : std::atol(text);
    }();
    static std::atomic<unsigned> readings{0};
    return ++readings % 2 == 0 ? seconds : -seconds;
}

} // namespace

extern "C" {

int clock_gettime(clockid_t clock, timespec* time) noexcept {
    static const auto real = next<int (*)(clockid_t, timespec*)>("clock_gettime");
    const int status = real(clock, time);
    if (status == 0 && (clock == CLOCK_REALTIME || clock == CLOCK_REALTIME_COARSE)) {
        time->tv_sec += jump();
    }
    return status;
}

int gettimeofday(timeval* time, void* zone) noexcept {
    static const auto real = next<int (*)(timeval*, void*)>("gettimeofday");
    const int status = real(time, zone);
    time->tv_sec += jump();
    return status;
}

time_t time(time_t* into) noexcept {
    static const auto real = next<time_t (*)(time_t*)>("time");
    const time_t now = real(nullptr) + jump();
    if (into != nullptr) {
        *into = now;
    }
    return now;
}

} // extern "C"
