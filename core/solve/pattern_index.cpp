#include "core/solve/pattern_index.h"

#include "core/base/parallel.h"
#include "core/solve/pattern_storage.h"

#include <algorithm>
#include <cmath>
#include <numbers>
#include <numeric>
#include <optional>

namespace pathmark::solve {
namespace {

constexpr int kFinestOrder = 15;
constexpr std::size_t kChunk = 512; // cells that one task makes quads of

/// Levels from the largest cells to the smallest.
std::vector<LevelData> fillLevels(std::span<const Vec3> stars, const IndexOptions& options) {
    const int finest = std::clamp(options.finest, 0, kFinestOrder);
    const int coarsest = std::clamp(options.coarsest, 0, finest);
    std::vector<std::uint32_t> candidates(stars.size());
    std::iota(candidates.begin(), candidates.end(), 0U);
    std::vector<LevelData> levels;
    // From the finest level on: what is not among the brightest of a small cell is not among those of a large one.
    for (int order = finest; order >= coarsest; --order) {
        LevelData level = fillLevel(order, options.starsPerCell, stars, candidates);
        if (static_cast<double>(level.members.size()) <
                options.leastPerCell * static_cast<double>(level.cells.size()) &&
            order > coarsest) {
            continue;
        }
        candidates = level.members;
        levels.push_back(std::move(level));
        std::sort(candidates.begin(), candidates.end());
    }
    std::reverse(levels.begin(), levels.end());
    return levels;
}

/// All quads of a level, in the order of its cells; nothing where the job is stopped.
std::optional<std::vector<IndexQuad>> quadsOfLevel(const IndexLevel& level,
                                                   std::span<const Vec3> stars,
                                                   const IndexOptions& options,
                                                   const Job& job) {
    std::vector<std::vector<IndexQuad>> found((level.cells.size() + kChunk - 1) / kChunk);
    parallelFor(found.size(), [&](std::size_t c) {
        if (!job.stop.stop_requested()) {
            found[c] = quadsOfCells(
                level, c * kChunk, std::min(level.cells.size(), (c + 1) * kChunk), stars, options);
        }
    });
    if (job.stop.stop_requested()) {
        return std::nullopt;
    }
    std::vector<IndexQuad> quads;
    for (const auto& some : found) {
        quads.insert(quads.end(), some.begin(), some.end());
    }
    return quads;
}

} // namespace

std::span<const std::uint32_t> IndexLevel::starsOf(std::uint64_t cell) const {
    const auto at = std::lower_bound(cells.begin(), cells.end(), cell);
    if (at == cells.end() || *at != cell) {
        return {};
    }
    const auto i = static_cast<std::size_t>(at - cells.begin());
    if (starts[i] > starts[i + 1] || starts[i + 1] > members.size()) {
        return {}; // a damaged file
    }
    return members.subspan(starts[i], starts[i + 1] - starts[i]);
}

Angle PatternIndex::cellSide(int order) {
    return Angle::radians(std::sqrt(std::numbers::pi / 3.0) / std::ldexp(1.0, order));
}

int PatternIndex::orderFor(Angle base) {
    // Bases of a level are between half its side and its side.
    const double ratio = cellSide(0).radians() / std::max(1e-9, base.radians());
    return std::clamp(static_cast<int>(std::floor(std::log2(ratio))), 0, kFinestOrder);
}

std::size_t PatternIndex::binCount(std::size_t quads) {
    // Codes in order fill an eighth of their space; two or so a bin.
    return std::clamp<std::size_t>(
        static_cast<std::size_t>(std::pow(4.0 * static_cast<double>(quads) + 16.0, 0.25)), 2, 60);
}

const IndexLevel& PatternIndex::levelFor(Angle base) const {
    const int order = orderFor(base);
    return *std::min_element(
        levels_.begin(), levels_.end(), [&](const IndexLevel& a, const IndexLevel& b) {
            return std::abs(a.order - order) < std::abs(b.order - order);
        });
}

Result<PatternIndex> PatternIndex::build(std::span<const Vec3> brightestFirst,
                                         const IndexOptions& options,
                                         const Job& job) {
    auto storage = std::make_shared<Storage>();
    storage->levels = fillLevels(brightestFirst, options);
    const std::size_t cellsTotal =
        std::accumulate(storage->levels.begin(),
                        storage->levels.end(),
                        std::size_t{0},
                        [](std::size_t sum, const auto& l) { return sum + l.cells.size(); });
    std::size_t cellsDone = 0;
    for (const LevelData& level : storage->levels) {
        const auto quads = quadsOfLevel(level.view(), brightestFirst, options, job);
        if (!quads) {
            return fail(ErrorId::BaseCancelled, "Stopped while the patterns were being built.");
        }
        if (storage->quads.size() + quads->size() > options.mostQuads) {
            break;
        }
        storage->quads.insert(storage->quads.end(), quads->begin(), quads->end());
        cellsDone += level.cells.size();
        job.progress("Building star patterns",
                     static_cast<int>(cellsDone / 100),
                     static_cast<int>(cellsTotal / 100));
    }
    storage->stars.reserve(brightestFirst.size());
    for (const Vec3& v : brightestFirst) {
        storage->stars.push_back(
            {{static_cast<float>(v[0]), static_cast<float>(v[1]), static_cast<float>(v[2])}});
    }
    PatternIndex index;
    index.sortIntoBins(*storage);
    index.stars_ = storage->stars;
    index.quads_ = storage->quads;
    index.binStarts_ = storage->binStarts;
    for (const LevelData& level : storage->levels) {
        index.levels_.push_back(level.view());
    }
    index.storage_ = std::move(storage);
    return index;
}

/// Counting sort: in the order of the levels inside a bin.
void PatternIndex::sortIntoBins(Storage& storage) {
    bins_ = binCount(storage.quads.size());
    const auto binOfQuad = [&](const IndexQuad& q) {
        return ((binOf(q.code[0]) * bins_ + binOf(q.code[1])) * bins_ + binOf(q.code[2])) * bins_ +
               binOf(q.code[3]);
    };
    storage.binStarts.assign(bins_ * bins_ * bins_ * bins_ + 1, 0);
    for (const IndexQuad& q : storage.quads) {
        ++storage.binStarts[binOfQuad(q) + 1];
    }
    std::partial_sum(storage.binStarts.begin(), storage.binStarts.end(), storage.binStarts.begin());
    std::vector<std::uint32_t> next(storage.binStarts.begin(), storage.binStarts.end() - 1);
    std::vector<IndexQuad> sorted(storage.quads.size());
    for (const IndexQuad& q : storage.quads) {
        sorted[next[binOfQuad(q)]++] = q;
    }
    storage.quads = std::move(sorted);
}

} // namespace pathmark::solve
