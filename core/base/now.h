#pragma once

#include "core/base/time.h"

#include <chrono>

namespace pathmark {

/// The time by this machine's clock.
inline Utc utcNow() {
    constexpr double unixZero = 2440587.5;
    const auto time = std::chrono::system_clock::now().time_since_epoch();
    return Utc::julian(unixZero, std::chrono::duration<double>(time).count() / kSecondsPerDay);
}

} // namespace pathmark
