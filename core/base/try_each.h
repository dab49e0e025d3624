#pragma once

#include "core/base/job.h"
#include "core/base/result.h"

#include <cstddef>
#include <functional>

namespace pathmark {

/// How tryEach goes about it.
struct TryEachOptions {
    std::size_t atOnce =
        0; ///< on so many threads of its own (overlapFor); 0: on the shared workers
    const char* stage =
        nullptr; ///< that the job is told of as each begins; null: it is told nothing
};

/// Runs work(i) for every i in [0, count) until one fails or the job is to stop; what has begun is finished.
///
/// Errors   base.cancelled where the job is to stop; else that of the first in order that failed
/// Threads  As for parallelFor.
Result<bool> tryEach(std::size_t count,
                     const Job& job,
                     const std::function<Result<bool>(std::size_t)>& work,
                     const TryEachOptions& options = {});

} // namespace pathmark
