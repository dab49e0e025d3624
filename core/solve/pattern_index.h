#pragma once

#include "core/base/angle.h"
#include "core/base/job.h"
#include "core/base/result.h"
#include "core/solve/quad.h"

#include <algorithm>
#include <array>
#include <bit>
#include <cstdint>
#include <cstring>
#include <filesystem>
#include <memory>
#include <span>
#include <string>
#include <vector>

namespace pathmark::solve {

/// A star of an index: its direction, ICRS.
struct IndexStar {
    std::array<float, 3> direction{};

    [[nodiscard]] Vec3 vector() const {
        return {static_cast<double>(direction[0]),
                static_cast<double>(direction[1]),
                static_cast<double>(direction[2])};
    }
};

/// Four stars of an index.
struct IndexQuad {
    std::array<std::uint16_t, 4> code{}; ///< of the QuadCode, see PatternIndex::quantise
    std::array<std::uint32_t, 4> star{}; ///< A, B, C, D
};

/// One size of patterns: sky cells (HEALPix, nested) with their brightest stars.
struct IndexLevel {
    int order = 0;                          ///< of the cells
    std::span<const std::uint64_t> cells;   ///< those with stars, ascending
    std::span<const std::uint32_t> starts;  ///< where each begins in `members`, and the end
    std::span<const std::uint32_t> members; ///< stars of the cells, brightest first in each

    [[nodiscard]] std::span<const std::uint32_t> starsOf(std::uint64_t cell) const;
};

struct IndexOptions {
    int coarsest = 1; ///< HEALPix order of the largest cells (29 degrees)
    int finest = 13;  ///< and of the smallest (26 arcsec)
    int starsPerCell = 8;
    int quadsPerCell = 20;
    int mostUses = 8;    ///< of one star in the quads of a cell
    int quadsOfBase = 3; ///< of one pair of ends
    double leastPerCell =
        0.0; ///< levels with fewer stars in a cell are left out: they make no patterns
    std::size_t mostQuads = 24'000'000; ///< finer levels are left out beyond; 28 bytes each
};

/// Patterns of four stars of every size, to be looked up by their code.
///
/// Model    Level by level: of every cell the brightest stars; quads whose base is between half a cell and a cell,
///          bright ones first, each star in few of them. Codes lie in a grid of four dimensions.
/// Cost     28 bytes a quad, 5 million quads for 1.5 million stars over the whole sky; 15 us a cell to build.
class PatternIndex {
  public:
    /// From directions, the brightest first.
    ///
    /// Errors   base.cancelled
    static Result<PatternIndex>
    build(std::span<const Vec3> brightestFirst, const IndexOptions& options, const Job& job);

    /// Writes it, whole or not at all; `digest` says of which catalogue content it is.
    Result<bool> write(const std::filesystem::path& path, const std::string& digest) const;

    /// Maps a file into memory.
    ///
    /// Errors   catalog.not_found  no such file, a damaged one, or one of another catalogue content
    static Result<PatternIndex> open(const std::filesystem::path& path, const std::string& digest);

    [[nodiscard]] std::span<const IndexStar> stars() const { return stars_; }

    [[nodiscard]] std::span<const IndexQuad> quads() const { return quads_; }

    [[nodiscard]] std::span<const IndexLevel> levels() const { return levels_; }

    /// Calls found(quad) for every quad whose four numbers are within `tolerance` of these.
    template <typename Found>
    void lookUp(const std::array<float, 4>& code, float tolerance, const Found& found) const;

    /// The level whose bases are of this length; the nearest where there is none.
    [[nodiscard]] const IndexLevel& levelFor(Angle base) const;

    /// Side of a cell of an order.
    static Angle cellSide(int order);

    /// The order whose bases are as long as this.
    static int orderFor(Angle base);

    static std::uint16_t quantise(float number) {
        return static_cast<std::uint16_t>((number + kOffset) * kSteps);
    }

    static float number(std::uint16_t quantised) {
        return static_cast<float>(quantised) / kSteps - kOffset;
    }

  private:
    struct Storage;

    // Numbers of a code lie between -0.6 and 1.1.
    static constexpr float kOffset = 0.75F;
    static constexpr float kSteps = 32768.0F;

    [[nodiscard]] std::size_t binOf(std::uint16_t quantised) const {
        return static_cast<std::size_t>(quantised) * bins_ >> 16U;
    }

    static std::size_t binCount(std::size_t quads);
    void sortIntoBins(Storage& storage);

    std::shared_ptr<const Storage> storage_;
    std::span<const IndexStar> stars_;
    std::span<const IndexQuad> quads_;
    std::span<const std::uint32_t> binStarts_;
    std::vector<IndexLevel> levels_;
    std::size_t bins_ = 1; ///< along each of the four axes
};

template <typename Found>
void PatternIndex::lookUp(const std::array<float, 4>& code,
                          float tolerance,
                          const Found& found) const {
    // The four numbers are compared at once: a search looks at hundreds of millions of quads.
    using Codes [[gnu::vector_size(8)]] = std::uint16_t;
    std::array<std::size_t, 4> low{};
    std::array<std::size_t, 4> high{};
    Codes least{};
    Codes most{};
    for (std::size_t k = 0; k < 4; ++k) {
        least[k] = quantise(code[k] - tolerance);
        most[k] = quantise(code[k] + tolerance);
        low[k] = binOf(least[k]);
        high[k] = binOf(most[k]);
    }
    for (std::size_t i0 = low[0]; i0 <= high[0]; ++i0) {
        for (std::size_t i1 = low[1]; i1 <= high[1]; ++i1) {
            for (std::size_t i2 = low[2]; i2 <= high[2]; ++i2) {
                // The last axis runs along the table: its bins lie side by side.
                const std::size_t row = ((i0 * bins_ + i1) * bins_ + i2) * bins_;
                const auto end =
                    std::min<std::size_t>(binStarts_[row + high[3] + 1], quads_.size());
                for (std::size_t q = binStarts_[row + low[3]]; q < end; ++q) {
                    Codes codes;
                    std::memcpy(&codes, quads_[q].code.data(), sizeof codes);
                    const auto inside = (codes >= least) & (codes <= most);
                    if (std::bit_cast<std::uint64_t>(inside) == ~std::uint64_t{0}) {
                        found(quads_[q]);
                    }
                }
            }
        }
    }
}

} // namespace pathmark::solve
