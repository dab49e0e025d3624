#include "core/solve/catalogue_patterns.h"

#include <utility>

namespace pathmark::solve {
namespace {

constexpr std::size_t kMostStars = 12'000'000; // of a whole catalogue: 12 bytes each
constexpr double kLeastPerCell = 1.6;          // sparser cells make no patterns

} // namespace

void enrich(IndexOptions& options, std::size_t stars) {
    const int times = stars < 3000 ? 8 : stars < 100'000 ? 3 : 1;
    options.starsPerCell += stars < 3000 ? 12 : stars < 100'000 ? 4 : 0;
    options.quadsPerCell *= times;
    options.mostUses *= times;
    options.quadsOfBase *= times;
}

CataloguePatterns::CataloguePatterns(std::filesystem::path folder,
                                     std::string name,
                                     const catalog::StarStore& store,
                                     Job job)
    : folder_(std::move(folder)), name_(std::move(name)), store_(store), job_(std::move(job)) {}

const PatternIndex* CataloguePatterns::get() {
    const std::scoped_lock lock(alone_);
    if (!asked_) {
        asked_ = true;
        const auto path = folder_ / (name_ + ".patterns");
        auto ready = PatternIndex::open(path, store_.contentDigest());
        if (!ready) {
            IndexOptions options;
            options.starsPerCell = kCellStars;
            options.leastPerCell = kLeastPerCell;
            const auto directions = store_.brightestDirections(kMostStars);
            enrich(options, directions.size());
            ready = PatternIndex::build(directions, options, job_);
            if (!ready) {
                asked_ = false; // stopped: the next one may build
                return nullptr;
            }
            if (auto written = ready->write(path, store_.contentDigest()); !written) {
                job_.message(toMessage(written.error()) + " The patterns are used but not kept.");
            }
        }
        patterns_ = *std::move(ready);
    }
    return patterns_ ? &*patterns_ : nullptr;
}

} // namespace pathmark::solve
