#include "core/base/try_each.h"

#include "core/base/parallel.h"

#include <atomic>
#include <mutex>
#include <optional>
#include <vector>

namespace pathmark {

Result<bool> tryEach(std::size_t count,
                     const Job& job,
                     const std::function<Result<bool>(std::size_t)>& work,
                     const TryEachOptions& options) {
    std::vector<std::optional<Error>> errors(count);
    std::atomic<bool> failed = false;
    std::mutex telling;
    int begun = 0;
    const auto one = [&](std::size_t i) {
        if (failed || job.stop.stop_requested()) {
            return;
        }
        if (options.stage != nullptr) {
            const std::scoped_lock lock(telling);
            job.progress(options.stage, begun++, static_cast<int>(count));
        }
        if (auto done = work(i); !done) {
            errors[i] = done.error();
            failed = true;
        }
    };
    if (options.atOnce > 0) {
        overlapFor(count, options.atOnce, one);
    } else {
        parallelFor(count, one);
    }
    if (job.stop.stop_requested()) {
        return fail(ErrorId::BaseCancelled, "Stopped.");
    }
    for (const auto& error : errors) {
        if (error) {
            return fail(*error);
        }
    }
    return true;
}

} // namespace pathmark
