#include "core/base/parallel.h"

#include <tbb/global_control.h>
#include <tbb/parallel_for.h>

#include <memory>

namespace pathmark {

void parallelFor(std::size_t count, const std::function<void(std::size_t)>& body) {
    tbb::parallel_for(std::size_t{0}, count, [&](std::size_t i) { body(i); });
}

void setThreadLimit(int threads) {
    static std::unique_ptr<tbb::global_control> limit;
    limit.reset();
    if (threads > 0) {
        limit = std::make_unique<tbb::global_control>(tbb::global_control::max_allowed_parallelism,
                                                      static_cast<std::size_t>(threads));
    }
}

} // namespace pathmark
