#pragma once

#include "core/solve/cell_quads.h"

#include <sys/mman.h>

#include <vector>

namespace pathmark::solve {

/// What an index looks at: its own vectors, or a file that is mapped.
struct PatternIndex::Storage {
    std::vector<IndexStar> stars;
    std::vector<IndexQuad> quads;
    std::vector<std::uint32_t> binStarts;
    std::vector<LevelData> levels;
    void* mapped = MAP_FAILED;
    std::size_t mappedSize = 0;

    Storage() = default;
    Storage(const Storage&) = delete;
    Storage& operator=(const Storage&) = delete;

    ~Storage() {
        if (mapped != MAP_FAILED) {
            ::munmap(mapped, mappedSize);
        }
    }
};

} // namespace pathmark::solve
