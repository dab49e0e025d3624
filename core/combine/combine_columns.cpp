#include "core/base/clones.h"
#include "core/base/expects.h"
#include "core/combine/kernels.h"

namespace pathmark::combine {
namespace {

using namespace kernels;

PATHMARK_CLONES
void combineManyLanes(
    float* columns, const Plan& plan, float* scratch, float* value, float* variance) {
    combineLanes<kLanes>(columns, plan, scratch, value, variance);
}

void combineOneLane(
    float* column, const Plan& plan, float* scratch, float* value, float* variance) {
    combineLanes<1>(column, plan, scratch, value, variance);
}

/// A sum of them times nought is nought only where every value is finite.
PATHMARK_CLONES
bool allFinite(const float* values, std::size_t count) {
    Row<kLanes> sums{};
    for (std::size_t i = 0; i < count; i += kLanes) {
        for (std::size_t k = 0; k < kLanes; ++k) {
            sums[k] += 0.0F * values[i + k];
        }
    }
    return std::all_of(sums.begin(), sums.end(), [](float s) { return s == 0.0F; });
}

} // namespace

CombinedValue combineValues(std::span<float> values, const CombineRule& rule) {
    const auto finite = std::stable_partition(
        values.begin(), values.end(), [](float v) { return std::isfinite(v); });
    const auto n = static_cast<std::size_t>(finite - values.begin());
    if (n == 0) {
        return {frame::kNoValue, frame::kNoValue};
    }
    const Plan plan = planFor(n, rule);
    std::vector<float> scratch(n);
    CombinedValue result;
    combineOneLane(values.data(), plan, scratch.data(), &result.value, &result.variance);
    return result;
}

void combineColumns(std::span<const float* const> rows,
                    const CombineRule& rule,
                    std::span<float> value,
                    std::span<float> variance) {
    const std::size_t pixels = value.size();
    const std::size_t frames = rows.size();
    PATHMARK_EXPECTS(variance.size() == pixels);
    // Made once a thread and rule: the network of many frames has hundreds of pairs.
    thread_local Plan plan;
    if (plan.n != frames || plan.asked != rule) {
        plan = planFor(frames, rule);
    }
    std::vector<float> block(frames * kLanes);
    std::vector<float> scratch(frames * kLanes);
    for (std::size_t first = 0; first < pixels; first += kLanes) {
        const std::size_t count = std::min(kLanes, pixels - first);
        for (std::size_t f = 0; f < frames; ++f) {
            const float* row = rows[f] + first;
            float* to = block.data() + f * kLanes;
            std::copy(row, row + count, to);
            std::fill(to + count, to + kLanes, 0.0F);
        }
        if (allFinite(block.data(), block.size())) {
            Row<kLanes> v;
            Row<kLanes> s;
            combineManyLanes(block.data(), plan, scratch.data(), v.data(), s.data());
            std::copy(
                v.begin(), v.begin() + static_cast<std::ptrdiff_t>(count), value.data() + first);
            std::copy(
                s.begin(), s.begin() + static_cast<std::ptrdiff_t>(count), variance.data() + first);
            continue;
        }
        std::vector<float> column(frames);
        for (std::size_t k = 0; k < count; ++k) {
            for (std::size_t f = 0; f < frames; ++f) {
                column[f] = block[f * kLanes + k];
            }
            const CombinedValue combined = combineValues(column, rule);
            value[first + k] = combined.value;
            variance[first + k] = combined.variance;
        }
    }
}

} // namespace pathmark::combine
