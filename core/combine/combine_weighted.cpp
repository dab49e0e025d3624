#include "core/base/clones.h"
#include "core/base/expects.h"
#include "core/combine/kernels.h"

#include <numbers>

namespace pathmark::combine {
namespace {

using namespace kernels;

/// Between which values a pixel's are kept, and the value where it is no mean of them.
template <std::size_t L>
struct Bounds {
    Row<L> low{};
    Row<L> high{};
    Row<L> centre{};
};

/// Of sorted columns.
template <std::size_t L>
[[gnu::always_inline]] inline Bounds<L>
boundsOf(const float* sorted, const Plan& plan, float* scratch) {
    Bounds<L> bounds;
    bounds.centre = medianRow<L>(sorted, plan.n);
    Row<L> reach = everything<L>();
    switch (plan.rule.combination) {
    case Combination::PercentileClip: {
        const float* low = sorted + plan.trimmed * L;
        const float* high = sorted + (plan.n - 1 - plan.trimmed) * L;
        for (std::size_t k = 0; k < L; ++k) {
            bounds.low[k] = low[k];
            bounds.high[k] = high[k];
        }
        return bounds;
    }
    case Combination::WinsorisedClip:
        reach = reachOf<L>(winsorisedSigma<L>(sorted, plan, bounds.centre), plan.rule.clip);
        break;
    case Combination::SigmaClip:
        reach = reachOf<L>(clipSigma<L>(sorted, plan, bounds.centre, scratch), plan.rule.clip);
        break;
    default: break;
    }
    for (std::size_t k = 0; k < L; ++k) {
        bounds.low[k] = bounds.centre[k] - reach[k];
        bounds.high[k] = bounds.centre[k] + reach[k];
    }
    return bounds;
}

/// Two values tell no scatter, but where that of good ones is known, the higher one may be more than any good one: a hit or a star
/// that stands in one frame only. It may be twice the lower one, as where the seeing changes on a star's slope. So may the lower one be
/// far less than no light.
bool clipsPairs(const Plan& plan) {
    const Combination asked = plan.asked.combination;
    return plan.n == 2 && plan.rule.floorSigma > 0.0 &&
           (asked == Combination::SigmaClip || asked == Combination::WinsorisedClip);
}

template <std::size_t L>
[[gnu::always_inline]] inline Bounds<L> boundsOfPair(const float* ordered, const Plan& plan) {
    Bounds<L> bounds;
    const auto apart =
        static_cast<float>(std::numbers::sqrt2 * plan.rule.clip * plan.rule.floorSigma);
    for (std::size_t k = 0; k < L; ++k) {
        const float a = ordered[k];
        const float b = ordered[L + k];
        const float lower = a < b ? a : b;
        const float higher = a < b ? b : a;
        const bool isDark = -lower > apart && -lower > higher; // nothing is less than no light
        bounds.centre[k] = isDark ? higher : lower;
        bounds.low[k] = isDark ? higher : lower;
        bounds.high[k] = isDark ? higher : (lower > 0.0F ? 2.0F * lower : lower) + apart;
    }
    return bounds;
}

/// One block's results.
template <std::size_t L>
struct Sums {
    Row<L> value{};
    Row<L> variance{};
    Row<L> weight{};
    Row<L> low{};
    Row<L> high{};
};

/// The weighted mean of what lies within the bounds, the slope of a line through the frames taken off.
template <std::size_t L>
[[gnu::always_inline]] inline void weightedMean(const float* ordered,
                                                const float* weights,
                                                const Plan& plan,
                                                const Bounds<L>& bounds,
                                                const Row<L>& slope,
                                                Sums<L>& out) {
    Row<L> w1{}, w2{}, d1{}, d2{}, dd{}, kept{};
    for (std::size_t f = 0; f < plan.n; ++f) {
        const float* row = ordered + f * L;
        const float w = weights[f];
        for (std::size_t k = 0; k < L; ++k) {
            const float along = slope[k] * plan.abscissa[f];
            const float v = row[k] - along;
            const float below = v < bounds.low[k] ? 1.0F : 0.0F;
            const float above = v > bounds.high[k] ? 1.0F : 0.0F;
            const float use = 1.0F - below - above;
            const float d = use * (v - bounds.centre[k]);
            out.low[k] += below;
            out.high[k] += above;
            kept[k] += use;
            w1[k] += use * w;
            w2[k] += use * w * w;
            d1[k] += w * d;
            d2[k] += w * w * d;
            dd[k] += w * w * d * d;
        }
    }
    for (std::size_t k = 0; k < L; ++k) {
        const float mean = d1[k] / w1[k];
        const float rest = dd[k] - 2.0F * mean * d2[k] + mean * mean * w2[k];
        out.value[k] = kept[k] > 0.0F ? bounds.centre[k] + mean : frame::kNoValue;
        out.weight[k] = w1[k];
        out.variance[k] = kept[k] > 1.0F ? (rest > 0.0F ? rest : 0.0F) / (w1[k] * w1[k]) *
                                               (kept[k] / (kept[k] - 1.0F))
                                         : frame::kNoValue;
    }
}

template <std::size_t L>
[[gnu::always_inline]] inline void combineBlock(
    const float* ordered, const float* weights, const Plan& plan, float* sorted, Sums<L>& out) {
    out.low = {};
    out.high = {};
    if (clipsPairs(plan)) {
        weightedMean<L>(ordered, weights, plan, boundsOfPair<L>(ordered, plan), {}, out);
        return;
    }
    if (plan.rule.combination == Combination::Mean) {
        Bounds<L> all;
        std::copy(ordered, ordered + L, all.centre.begin());
        all.low.fill(-std::numeric_limits<float>::infinity());
        all.high.fill(std::numeric_limits<float>::infinity());
        weightedMean<L>(ordered, weights, plan, all, {}, out);
        return;
    }
    if (plan.rule.combination == Combination::LineClip) {
        Line<L> line;
        Row<L> value;
        Row<L> variance;
        combineLine<L>(ordered, plan, sorted, value.data(), variance.data(), &line);
        Bounds<L> about;
        for (std::size_t k = 0; k < L; ++k) {
            about.centre[k] = line.centre[k];
            about.low[k] = line.centre[k] + line.middle[k] - line.reach[k];
            about.high[k] = line.centre[k] + line.middle[k] + line.reach[k];
        }
        weightedMean<L>(ordered, weights, plan, about, line.slope, out);
        return;
    }
    std::copy(ordered, ordered + plan.n * L, sorted);
    sortColumns<L>(sorted, plan);
    weightedMean<L>(
        ordered, weights, plan, boundsOf<L>(sorted, plan, sorted + plan.n * L), {}, out);
    if (plan.rule.combination == Combination::Median) {
        combineMedian<L>(sorted, plan, out.value.data(), out.variance.data());
    }
}

PATHMARK_CLONES
void combineManyWeighted(const float* ordered,
                         const float* weights,
                         const Plan& plan,
                         float* sorted,
                         Sums<kLanes>& out) {
    combineBlock<kLanes>(ordered, weights, plan, sorted, out);
}

/// kLanes pixels of each frame as they are, and with nought where there is none; `holes` counts those of each pixel.
PATHMARK_CLONES
void gather(std::span<const float* const> rows,
            std::size_t first,
            float* values,
            float* filled,
            Row<kLanes>& holes) {
    holes = {};
    for (const float* row : rows) {
        for (std::size_t k = 0; k < kLanes; ++k) {
            const float v = row[first + k];
            const bool has = v - v == 0.0F;
            values[k] = v;
            filled[k] = has ? v : 0.0F;
            holes[k] += has ? 0.0F : 1.0F;
        }
        values += kLanes;
        filled += kLanes;
    }
}

/// Plans by number of values: frames that end in the middle of a stack leave pixels with any number of them.
class Plans {
  public:
    const Plan& of(std::size_t n, const CombineRule& rule) {
        if (rule_ != rule) {
            plans_.clear();
            rule_ = rule;
        }
        if (plans_.size() <= n) {
            plans_.resize(n + 1);
        }
        if (plans_[n].n != n || plans_[n].abscissa.size() != n) {
            plans_[n] = planFor(n, rule);
        }
        return plans_[n];
    }

  private:
    CombineRule rule_;
    std::vector<Plan> plans_;
};

template <std::size_t L>
void put(const Sums<L>& sums, std::size_t lane, std::size_t pixel, const CombinedPixels& out) {
    const auto one = [&](std::span<float> to, const Row<L>& from) {
        if (!to.empty()) {
            to[pixel] = from[lane];
        }
    };
    one(out.value, sums.value);
    one(out.variance, sums.variance);
    one(out.weight, sums.weight);
    one(out.clippedLow, sums.low);
    one(out.clippedHigh, sums.high);
}

/// What one worker needs.
struct Workspace {
    std::vector<float> block;
    std::vector<float> filled;
    std::vector<float> sorted; ///< and as many values beside, for distances
    std::vector<float> column;
    std::vector<float> columnWeights;
    Plans plans;
    Sums<kLanes> many;
    Sums<1> single;
};

/// A pixel that some frames have no value for.
void combinePixel(Workspace& work,
                  std::span<const float> weights,
                  const CombineRule& rule,
                  std::size_t lane,
                  std::size_t pixel,
                  const CombinedPixels& out) {
    work.column.clear();
    work.columnWeights.clear();
    for (std::size_t f = 0; f < weights.size(); ++f) {
        const float v = work.block[f * kLanes + lane];
        if (std::isfinite(v)) {
            work.column.push_back(v);
            work.columnWeights.push_back(weights[f]);
        }
    }
    const std::size_t n = work.column.size();
    if (n == 0) {
        work.single = {};
        work.single.value[0] = frame::kNoValue;
        work.single.variance[0] = frame::kNoValue;
    } else {
        combineBlock<1>(work.column.data(),
                        work.columnWeights.data(),
                        work.plans.of(n, rule),
                        work.sorted.data(),
                        work.single);
    }
    put(work.single, 0, pixel, out);
}

} // namespace

void combineWeighted(std::span<const float* const> rows,
                     std::span<const float> weights,
                     const CombineRule& rule,
                     const CombinedPixels& out) {
    const std::size_t pixels = out.value.size();
    const std::size_t frames = rows.size();
    PATHMARK_EXPECTS(weights.size() == frames && frames > 0);
    for (const std::span<float> part :
         {out.variance, out.weight, out.clippedLow, out.clippedHigh}) {
        PATHMARK_EXPECTS(part.empty() || part.size() == pixels);
    }
    thread_local Workspace work;
    work.block.resize(frames * kLanes);
    work.filled.resize(frames * kLanes);
    work.sorted.resize(2 * frames * kLanes);
    std::vector<float> tail;
    std::vector<const float*> ends;
    for (std::size_t first = 0; first < pixels; first += kLanes) {
        const std::size_t count = std::min(kLanes, pixels - first);
        Row<kLanes> holes;
        if (count == kLanes) {
            gather(rows, first, work.block.data(), work.filled.data(), holes);
        } else {
            tail.assign(frames * kLanes, 0.0F);
            for (std::size_t f = 0; f < frames; ++f) {
                std::copy_n(rows[f] + first, count, tail.data() + f * kLanes);
                ends.push_back(tail.data() + f * kLanes);
            }
            gather(ends, 0, work.block.data(), work.filled.data(), holes);
        }
        combineManyWeighted(work.filled.data(),
                            weights.data(),
                            work.plans.of(frames, rule),
                            work.sorted.data(),
                            work.many);
        for (std::size_t k = 0; k < count; ++k) {
            if (holes[k] == 0.0F) {
                put(work.many, k, first + k, out);
            } else {
                combinePixel(work, weights, rule, k, first + k, out);
            }
        }
    }
}

} // namespace pathmark::combine
