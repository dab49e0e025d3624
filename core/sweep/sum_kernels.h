#pragma once

#include <cstddef>
#include <cstdint>
#include <span>

// The inner loops of a sweep; compiled with the options that make vector instructions of them.
namespace pathmark::sweep {

/// Pixels of a row that share a threshold.
inline constexpr int kChunk = 32;

/// Sums of one tile, row by row.
struct TileRows {
    const std::int16_t* begin = nullptr;
    std::ptrdiff_t stride = 0;
};

/// out = a + b.
void addRow(const std::int16_t* a, const std::int16_t* b, std::int16_t* out, std::size_t count);

/// In which columns of chunks any sum a + b is above the threshold of the column.
///
/// Returns  One bit for each.
/// Shapes   thresholds.size() <= 64; the tiles are as wide as so many chunks.
std::uint64_t columnsAbove(const TileRows& a,
                           const TileRows& b,
                           int rows,
                           std::span<const std::int16_t> thresholds);

/// out = from, held to +- most.
void holdRow(const std::int16_t* from, std::int16_t most, std::int16_t* out, std::size_t count);

/// sum += from, widened.
void addWide(const std::int16_t* from, std::int32_t* sum, std::size_t count);

/// out = factor * sum, rounded and held to +- most.
void scaleRow(
    const std::int32_t* sum, float factor, float most, std::int16_t* out, std::size_t count);

} // namespace pathmark::sweep
