#pragma once

#include "core/solve/pattern_index.h"

#include <cstdint>
#include <span>
#include <vector>

// How an index is made: the stars of each cell, and the quads that begin there.
namespace pathmark::solve {

/// A level under construction.
struct LevelData {
    int order = 0;
    std::vector<std::uint64_t> cells;
    std::vector<std::uint32_t> starts;
    std::vector<std::uint32_t> members;

    [[nodiscard]] IndexLevel view() const { return {order, cells, starts, members}; }
};

/// The brightest stars of every cell; `candidates` ascending, so brightest first.
LevelData fillLevel(int order,
                    int starsPerCell,
                    std::span<const Vec3> stars,
                    const std::vector<std::uint32_t>& candidates);

/// The quads that begin at the stars of some cells of a level (indices into level.cells), bright ones first in each.
std::vector<IndexQuad> quadsOfCells(const IndexLevel& level,
                                    std::size_t begin,
                                    std::size_t end,
                                    std::span<const Vec3> stars,
                                    const IndexOptions& options);

} // namespace pathmark::solve
