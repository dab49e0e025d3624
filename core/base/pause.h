#pragma once

#include <chrono>
#include <stop_token>

namespace pathmark {

/// Waits, but not longer than someone wants to; false where that is the end of it.
bool pauseFor(std::chrono::milliseconds time, const std::stop_token& stop);

} // namespace pathmark
