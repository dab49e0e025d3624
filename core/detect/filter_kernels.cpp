#include "core/detect/filter_kernels.h"

#include "core/base/clones.h"

#include <cmath>
#include <cstring>

namespace pathmark::detect {
namespace {

constexpr int kLanes = 16;
constexpr int kVectors = kFilterBlock / kLanes;

// Spelled out: left to itself the compiler merges these loops into scalar ones. Each level cuts it to its own size.
using Lanes = float __attribute__((vector_size(kLanes * sizeof(float))));

struct Block {
    Lanes part[kVectors];
};

inline __attribute__((always_inline)) void load(Lanes& values, const float* from) {
    std::memcpy(&values, from, sizeof values);
}

/// sum += weight (a + b)
inline __attribute__((always_inline)) void
addPair(Lanes& sum, float weight, const float* a, const float* b) {
    Lanes x;
    Lanes y;
    load(x, a);
    load(y, b);
    sum += weight * (x + y);
}

} // namespace

PATHMARK_CLONES void subtractRow(const float* in, const float* level, float* out, int count) {
#pragma GCC ivdep
    for (int i = 0; i < count; ++i) {
        const float v = in[i] - level[i];
        out[i] = v == v ? v : 0.0F;
    }
}

PATHMARK_CLONES void
convolveRow(const float* padded, const float* kernel, int half, float* out, int count) {
    for (int at = 0; at < count; at += kFilterBlock) {
        const float* middle = padded + at + half;
        Block sum;
        for (int v = 0; v < kVectors; ++v) {
            load(sum.part[v], middle + v * kLanes);
            sum.part[v] *= kernel[0];
        }
        for (int j = 1; j <= half; ++j) {
            for (int v = 0; v < kVectors; ++v) {
                const float* here = middle + v * kLanes;
                addPair(sum.part[v], kernel[j], here - j, here + j);
            }
        }
        std::memcpy(out + at, &sum, sizeof sum);
    }
}

PATHMARK_CLONES void convolveColumns(const float* const* rows,
                                     const float* kernel,
                                     int half,
                                     float norm,
                                     const float* noise,
                                     float* out,
                                     int count) {
    for (int at = 0; at < count; at += kFilterBlock) {
        Block sum;
        for (int v = 0; v < kVectors; ++v) {
            load(sum.part[v], rows[half] + at + v * kLanes);
            sum.part[v] *= kernel[0];
        }
        for (int j = 1; j <= half; ++j) {
            const float* above = rows[half - j] + at;
            const float* below = rows[half + j] + at;
            for (int v = 0; v < kVectors; ++v) {
                addPair(sum.part[v], kernel[j], above + v * kLanes, below + v * kLanes);
            }
        }
        for (int v = 0; v < kVectors; ++v) {
            Lanes sigma;
            load(sigma, noise + at + v * kLanes);
            const Lanes snr = sum.part[v] * norm / sigma;
            const Lanes none = {};
            sum.part[v] = sigma > none ? snr : none;
        }
        std::memcpy(out + at, &sum, sizeof sum);
    }
}

PATHMARK_CLONES bool anyAbove(const float* values, int count, float limit) {
    int any = 0;
    for (int i = 0; i < count; ++i) {
        any |= values[i] > limit ? 1 : 0;
    }
    return any != 0;
}

PATHMARK_CLONES void ramp(float start, float slope, float* out, int count) {
#pragma GCC ivdep
    for (int i = 0; i < count; ++i) {
        out[i] = start + slope * static_cast<float>(i);
    }
}

PATHMARK_CLONES ClippedSums
sumClipped(const float* values, int count, float low, float high, float centre) {
    // One sum per lane, added in a fixed order: the same bits on every processor.
    constexpr int lanes = 16;
    float number[lanes] = {};
    float sum[lanes] = {};
    float squares[lanes] = {};
    for (int at = 0; at < count; at += lanes) {
#pragma GCC ivdep
        for (int l = 0; l < lanes; ++l) {
            const float v = values[at + l];
            // Without a branch, so that it becomes vector instructions.
            const float inside = (v >= low ? 1.0F : 0.0F) * (v <= high ? 1.0F : 0.0F);
            const float away = v - centre;
            const float d = inside > 0.0F ? away : 0.0F;
            number[l] += inside;
            sum[l] += d;
            squares[l] += d * d;
        }
    }
    ClippedSums total;
    for (int l = 0; l < lanes; ++l) {
        total.count += static_cast<double>(number[l]);
        total.sum += static_cast<double>(sum[l]);
        total.squares += static_cast<double>(squares[l]);
    }
    return total;
}

PATHMARK_CLONES
void takeAndWeigh(const KnownRow& known, float fault, std::size_t count, float* row) {
    for (std::size_t x = 0; x < count; ++x) {
        const float light = known.light[x];
        const float square = known.noise[x] * known.noise[x];
        const float wrong = fault * light;
        const float scale = std::sqrt(square / (square + light + wrong * wrong));
        const float rest = known.level[x] + (row[x] - known.level[x] - light) * scale;
        row[x] = light > 0.0F ? rest : row[x];
    }
}

} // namespace pathmark::detect
