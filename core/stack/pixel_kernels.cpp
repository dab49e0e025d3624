#include "core/stack/pixel_kernels.h"

#include "core/base/clones.h"
#include "core/frame/image.h"

#include <algorithm>
#include <cmath>

namespace pathmark::stack {

PATHMARK_CLONES
void subtractLevels(std::span<const float> nodes, std::span<float> row) {
    for (std::size_t first = 0; first < row.size(); first += kRun) {
        const float from = nodes[first / kRun];
        const float step = (nodes[first / kRun + 1] - from) / kRun;
        float* const out = row.data() + first;
        const int count = static_cast<int>(std::min<std::size_t>(kRun, row.size() - first));
        for (int k = 0; k < count; ++k) {
            out[k] -= from + static_cast<float>(k) * step;
        }
    }
}

PATHMARK_CLONES
std::size_t countFinite(std::span<const float> values) {
    std::size_t count = 0;
    for (std::size_t first = 0; first < values.size(); first += 4096) {
        const std::size_t end = std::min(values.size(), first + 4096);
        int some = 0;
        for (std::size_t i = first; i < end; ++i) {
            some += std::isfinite(values[i]) ? 1 : 0;
        }
        count += static_cast<std::size_t>(some);
    }
    return count;
}

PATHMARK_CLONES
void copyFinite(std::span<const float> from, std::span<float> to) {
    const float* const in = from.data();
    float* const out = to.data();
    for (std::size_t i = 0; i < from.size(); ++i) {
        out[i] = std::isfinite(in[i]) ? in[i] : 0.0F;
    }
}

PATHMARK_CLONES
void dropFrom(float limit, std::span<float> row) {
    for (float& v : row) {
        v = v < limit ? v : frame::kNoValue;
    }
}

PATHMARK_CLONES
void brightestBeside(std::span<const float> above,
                     std::span<const float> row,
                     std::span<const float> below,
                     std::span<float> brightest) {
    const std::size_t n = row.size();
    const float* const a = above.data();
    const float* const b = row.data();
    const float* const c = below.data();
    float* const out = brightest.data();
    const auto column = [&](std::size_t i) { return std::max({a[i], b[i], c[i]}); };
    for (std::size_t i = 1; i + 1 < n; ++i) {
        out[i] = std::max({column(i - 1), column(i), column(i + 1)});
    }
    if (n > 1) {
        out[0] = std::max(column(0), column(1));
        out[n - 1] = std::max(column(n - 2), column(n - 1));
    } else if (n == 1) {
        out[0] = column(0);
    }
}

PATHMARK_CLONES
void takeLight(const TakenLight& taken, std::span<float> row) {
    const float* const light = taken.light.data();
    const float* const beside = taken.beside.data();
    const float* const model = taken.model.data();
    float* const out = row.data();
    for (std::size_t i = 0; i < row.size(); ++i) {
        // Not true of NaN.
        const bool isTrusted = beside[i] < taken.mostLight && model[i] < taken.mostModel;
        const float rest = out[i] - light[i];
        out[i] = isTrusted ? rest : frame::kNoValue;
    }
}

} // namespace pathmark::stack
