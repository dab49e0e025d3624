#pragma once

#include <sys/resource.h>

namespace pathmark::bench {

inline rusage processUsage() {
    rusage usage{};
    ::getrusage(RUSAGE_SELF, &usage);
    return usage;
}

/// Of all cores, by this process so far.
inline double processorSeconds() {
    const rusage usage = processUsage();
    const auto of = [](const timeval& t) {
        return static_cast<double>(t.tv_sec) + 1e-6 * static_cast<double>(t.tv_usec);
    };
    return of(usage.ru_utime) + of(usage.ru_stime);
}

/// The most memory that this process has had.
inline double peakMegabytes() {
    return static_cast<double>(processUsage().ru_maxrss) / 1024.0;
}

} // namespace pathmark::bench
