#pragma once

#include <cstddef>
#include <utility>
#include <vector>

namespace pathmark::stack {

/// Marks of cells that lie in rows.
struct CellMask {
    int columns = 0;
    int rows = 0;
    std::vector<bool> marked; ///< row by row

    [[nodiscard]] std::size_t index(int x, int y) const {
        return static_cast<std::size_t>(y) * static_cast<std::size_t>(columns) +
               static_cast<std::size_t>(x);
    }

    /// Calls visit(x, y) for the up to eight neighbours of a cell, and for the cell.
    template <class F>
    void forAround(int x, int y, const F& visit) const {
        for (int k = 0; k < 9; ++k) {
            const int u = x + k % 3 - 1;
            const int v = y + k / 3 - 1;
            if (u >= 0 && v >= 0 && u < columns && v < rows) {
                visit(u, v);
            }
        }
    }

    /// Marks neighbours of what is marked, and theirs, as long as `belongs(index)` says so.
    template <class F>
    void spread(const F& belongs) {
        std::vector<std::pair<int, int>> next;
        for (int y = 0; y < rows; ++y) {
            for (int x = 0; x < columns; ++x) {
                if (marked[index(x, y)]) {
                    next.emplace_back(x, y);
                }
            }
        }
        while (!next.empty()) {
            const auto [x, y] = next.back();
            next.pop_back();
            forAround(x, y, [&](int u, int v) {
                const std::size_t i = index(u, v);
                if (!marked[i] && belongs(i)) {
                    marked[i] = true;
                    next.emplace_back(u, v);
                }
            });
        }
    }

    /// The neighbours of what is marked as well.
    [[nodiscard]] CellMask widened() const {
        CellMask wide = *this;
        for (int y = 0; y < rows; ++y) {
            for (int x = 0; x < columns; ++x) {
                if (marked[index(x, y)]) {
                    forAround(x, y, [&](int u, int v) { wide.marked[index(u, v)] = true; });
                }
            }
        }
        return wide;
    }
};

} // namespace pathmark::stack
