#pragma once

#include <cstddef>
#include <functional>

namespace pathmark {

/// Runs body(i) for every i in [0, count) on the shared workers and waits for all.
///
/// Errors   An exception of the body is thrown on after the others have stopped.
/// Threads  The body must only write what belongs to its own i; sums are combined afterwards in
///          index order so that the answer does not depend on the number of threads.
void parallelFor(std::size_t count, const std::function<void(std::size_t)>& body);

/// Like parallelFor, on up to `atOnce` threads of its own: for work that waits for a disk, which would
/// leave the shared workers idle. One thread where setThreadLimit says so.
void overlapFor(std::size_t count,
                std::size_t atOnce,
                const std::function<void(std::size_t)>& body);

/// The most workers that parallelFor uses, from now on for the whole process; 0 means all cores.
void setThreadLimit(int threads);

/// How many workers parallelFor uses at most.
std::size_t threadLimit();

} // namespace pathmark
