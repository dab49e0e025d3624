#include "core/base/pause.h"

#include <condition_variable>
#include <mutex>

namespace pathmark {

bool pauseFor(std::chrono::milliseconds time, const std::stop_token& stop) {
    std::mutex guard;
    std::condition_variable_any wake;
    std::unique_lock lock(guard);
    return !wake.wait_for(lock, stop, time, [] { return false; }) && !stop.stop_requested();
}

} // namespace pathmark
