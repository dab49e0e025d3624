#include "core/sweep/sum_kernels.h"

#include "core/base/clones.h"

#include <algorithm>
#include <cstring>

namespace pathmark::sweep {
namespace {

/// Pixels of a chunk, added and compared together: GCC makes of this what the processor has, and leaves the largest so far in a
/// register, which it does not for an array.
using Lanes = std::int16_t __attribute__((vector_size(2 * kChunk)));

} // namespace

PATHMARK_CLONES
void addRow(const std::int16_t* a, const std::int16_t* b, std::int16_t* out, std::size_t count) {
    for (std::size_t i = 0; i < count; ++i) {
        out[i] = static_cast<std::int16_t>(a[i] + b[i]);
    }
}

PATHMARK_CLONES
std::uint64_t columnsAbove(const TileRows& a,
                           const TileRows& b,
                           int rows,
                           std::span<const std::int16_t> thresholds) {
    std::uint64_t above = 0;
    for (std::size_t c = 0; c < thresholds.size(); ++c) {
        const std::int16_t* fromA = a.begin + c * kChunk;
        const std::int16_t* fromB = b.begin + c * kChunk;
        Lanes most = Lanes{} + INT16_MIN;
        for (int y = 0; y < rows; ++y, fromA += a.stride, fromB += b.stride) {
            Lanes left;
            Lanes right;
            std::memcpy(&left, fromA, sizeof(left));
            std::memcpy(&right, fromB, sizeof(right));
            const Lanes sum = left + right;
            most = sum > most ? sum : most;
        }
        std::int16_t largest = INT16_MIN;
        for (int i = 0; i < kChunk; ++i) {
            largest = std::max<std::int16_t>(largest, most[i]);
        }
        above |= static_cast<std::uint64_t>(largest > thresholds[c]) << c;
    }
    return above;
}

PATHMARK_CLONES
void holdRow(const std::int16_t* from, std::int16_t most, std::int16_t* out, std::size_t count) {
    const auto least = static_cast<std::int16_t>(-most);
    for (std::size_t i = 0; i < count; ++i) {
        out[i] = std::min(std::max(from[i], least), most);
    }
}

PATHMARK_CLONES
void addWide(const std::int16_t* from, std::int32_t* sum, std::size_t count) {
    for (std::size_t i = 0; i < count; ++i) {
        sum[i] += from[i];
    }
}

PATHMARK_CLONES
void scaleRow(
    const std::int32_t* sum, float factor, float most, std::int16_t* out, std::size_t count) {
    for (std::size_t i = 0; i < count; ++i) {
        const float value = factor * static_cast<float>(sum[i]);
        const float held = std::min(std::max(value, -most), most);
        out[i] = static_cast<std::int16_t>(held + (held < 0.0F ? -0.5F : 0.5F));
    }
}

} // namespace pathmark::sweep
