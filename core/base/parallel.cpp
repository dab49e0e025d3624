#include "core/base/parallel.h"

#include <tbb/global_control.h>
#include <tbb/parallel_for.h>

#include <algorithm>
#include <atomic>
#include <exception>
#include <memory>
#include <mutex>
#include <thread>
#include <vector>

namespace pathmark {

void parallelFor(std::size_t count, const std::function<void(std::size_t)>& body) {
#ifdef __SANITIZE_THREAD__
    // The library of the shared workers is not built for the sanitizer, which would take all that it does for races.
    overlapFor(count, threadLimit(), body);
#else
    tbb::parallel_for(std::size_t{0}, count, [&](std::size_t i) { body(i); });
#endif
}

void overlapFor(std::size_t count,
                std::size_t atOnce,
                const std::function<void(std::size_t)>& body) {
    const std::size_t threads = threadLimit() <= 1 ? 1 : std::min(atOnce, count);
    std::atomic<std::size_t> next = 0;
    std::exception_ptr problem;
    std::mutex guard;
    const auto work = [&] {
        for (std::size_t i = next++; i < count; i = next++) {
            try {
                body(i);
            } catch (...) {
                const std::scoped_lock lock(guard);
                problem = problem ? problem : std::current_exception();
                next = count;
            }
        }
    };
    if (threads <= 1) {
        work();
    } else {
        std::vector<std::jthread> workers;
        for (std::size_t t = 0; t < threads; ++t) {
            workers.emplace_back(work);
        }
    }
    if (problem) {
        std::rethrow_exception(problem);
    }
}

void setThreadLimit(int threads) {
    static std::unique_ptr<tbb::global_control> limit;
    limit.reset();
    if (threads > 0) {
        limit = std::make_unique<tbb::global_control>(tbb::global_control::max_allowed_parallelism,
                                                      static_cast<std::size_t>(threads));
    }
}

std::size_t threadLimit() {
    return tbb::global_control::active_value(tbb::global_control::max_allowed_parallelism);
}

} // namespace pathmark
