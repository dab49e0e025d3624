#pragma once

#include <fmt/format.h>

#include <cstdlib>
#include <filesystem>
#include <string>
#include <vector>

// How a test lets the calls of a program go wrong: see failing_calls.cpp. Used where PATHMARK_FAILING_CALLS is defined.
namespace pathmark::test_support {

struct FailingCall {
    const char* call = "write";
    int error = 0;
    bool goesOn = false; ///< all after it fail too
};

/// What stands before the program's words; `at` 0 lets all go well, and counts.
inline std::string failAt(const FailingCall& failing, long at, const std::filesystem::path& count) {
    return fmt::format("timeout 120 env LD_PRELOAD='{}' PATHMARK_FAIL_CALL={} "
                       "PATHMARK_FAIL_AT={} PATHMARK_FAIL_ON={} "
                       "PATHMARK_FAIL_ERRNO={} PATHMARK_FAIL_COUNT='{}' ",
                       PATHMARK_FAILING_CALLS,
                       failing.call,
                       at,
                       failing.goesOn ? 1 : 0,
                       failing.error,
                       count.string());
}

/// So many points of the calls that there are, spread over all of them. PATHMARK_FAIL_POINTS: how many; 0: all.
inline std::vector<long> pointsOf(long calls) {
    const char* wish = std::getenv("PATHMARK_FAIL_POINTS");
    const long most = wish == nullptr ? 3 : std::atol(wish);
    std::vector<long> points;
    const long count = most == 0 ? calls : std::min(most, calls);
    for (long k = 0; k < count; ++k) {
        points.push_back(1 + k * calls / count);
    }
    return points;
}

} // namespace pathmark::test_support
