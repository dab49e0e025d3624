#pragma once

#include "core/base/normal.h"
#include "core/combine/combine.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <cstdint>
#include <limits>
#include <utility>
#include <vector>

// The arithmetic of the combinations, on pixels side by side. For combine_columns.cpp and combine_weighted.cpp alone: both
// are compiled with the options that make vector instructions of it.
namespace pathmark::combine::kernels {

constexpr std::size_t kLanes = 64; ///< pixels at once: 50 frames of them stay in the first cache
constexpr int kLineRounds = 4;     ///< fits of a line, each without what the one before left out

/// Everything about a rule that depends on the number of values only.
struct Plan {
    std::size_t n = 0;
    CombineRule asked; ///< what was asked for
    CombineRule rule;  ///< what is done: the mean where there are too few values
    std::vector<std::pair<std::uint16_t, std::uint16_t>> network; ///< compare and exchange
    std::size_t low = 0; ///< ranks whose distance measures the scatter
    std::size_t high = 0;
    float perDistance = 0.0F;    ///< scatter = distance x this
    std::size_t trimmed = 0;     ///< values off each end
    std::vector<float> abscissa; ///< of the line, centred
};

/// Batcher's merge exchange for any n (Knuth 1998, vol. 3, 5.2.2, algorithm M).
inline std::vector<std::pair<std::uint16_t, std::uint16_t>> sortingNetwork(std::size_t n) {
    std::vector<std::pair<std::uint16_t, std::uint16_t>> pairs;
    if (n < 2) {
        return pairs;
    }
    std::size_t top = 1;
    while (2 * top < n) {
        top *= 2;
    }
    for (std::size_t p = top; p > 0; p /= 2) {
        std::size_t q = top;
        std::size_t r = 0;
        std::size_t d = p;
        while (true) {
            for (std::size_t i = 0; i + d < n; ++i) {
                if ((i & p) == r) {
                    pairs.emplace_back(static_cast<std::uint16_t>(i),
                                       static_cast<std::uint16_t>(i + d));
                }
            }
            if (q == p) {
                break;
            }
            d = q - p;
            q /= 2;
            r = p;
        }
    }
    return pairs;
}

inline Plan planFor(std::size_t n, const CombineRule& rule) {
    Plan plan;
    plan.n = n;
    plan.asked = rule;
    plan.rule = rule;
    if (n < 3 && rule.combination != Combination::Mean) {
        plan.rule.combination = Combination::Mean;
    }
    if (plan.rule.combination != Combination::Mean) {
        plan.network = sortingNetwork(n);
    }
    // Near the 16th and the 84th percentile: a sixth of the values may be wrong at either end.
    plan.low = n / 6;
    plan.high = n - 1 - plan.low;
    const auto expected = [&](std::size_t rank) {
        return normalQuantile((static_cast<double>(rank) + 0.625) /
                              (static_cast<double>(n) + 0.25));
    };
    if (n > 1) {
        plan.perDistance = static_cast<float>(1.0 / (expected(plan.high) - expected(plan.low)));
    }
    plan.trimmed =
        std::min(static_cast<std::size_t>(rule.share * static_cast<double>(n)), (n - 1) / 2);
    for (std::size_t i = 0; i < n; ++i) {
        plan.abscissa.push_back(static_cast<float>(i) - 0.5F * static_cast<float>(n - 1));
    }
    return plan;
}

// The functions below work on L pixels side by side: row f holds the values of frame f. They are compiled
// for one pixel and for kLanes of them; each lane's arithmetic is the same.

template <std::size_t L>
using Row = std::array<float, L>;

template <std::size_t L>
[[gnu::always_inline]] inline void sortColumns(float* columns, const Plan& plan) {
    for (const auto& [first, second] : plan.network) {
        float* a = columns + first * L;
        float* b = columns + second * L;
        for (std::size_t k = 0; k < L; ++k) {
            const float low = a[k] < b[k] ? a[k] : b[k];
            const float high = a[k] < b[k] ? b[k] : a[k];
            a[k] = low;
            b[k] = high;
        }
    }
}

template <std::size_t L>
[[gnu::always_inline]] inline Row<L> medianRow(const float* sorted, std::size_t n) {
    Row<L> median;
    const float* a = sorted + (n / 2) * L;
    const float* b = sorted + (n % 2 == 1 ? n / 2 : n / 2 - 1) * L;
    for (std::size_t k = 0; k < L; ++k) {
        median[k] = 0.5F * (a[k] + b[k]);
    }
    return median;
}

/// Mean of the values within `reach` of `centre`, and the variance of that mean. Sums are of deviations from the
/// centre: single precision then loses nothing that matters.
template <std::size_t L>
[[gnu::always_inline]] inline void meanWithin(const float* columns,
                                              std::size_t n,
                                              const Row<L>& centre,
                                              const Row<L>& reach,
                                              float* value,
                                              float* variance) {
    // A few lanes at a time: their sums then stay in registers.
    constexpr std::size_t chunk = L < 16 ? L : 16;
    for (std::size_t first = 0; first < L; first += chunk) {
        Row<chunk> sum{};
        Row<chunk> squares{};
        Row<chunk> count{};
        for (std::size_t f = 0; f < n; ++f) {
            const float* row = columns + f * L + first;
            for (std::size_t k = 0; k < chunk; ++k) {
                const float d = row[k] - centre[first + k];
                const float kept = std::abs(d) <= reach[first + k] ? 1.0F : 0.0F;
                const float used = kept * d;
                sum[k] += used;
                squares[k] += used * used;
                count[k] += kept;
            }
        }
        for (std::size_t k = 0; k < chunk; ++k) {
            const float mean = sum[k] / count[k];
            const float rest = squares[k] - sum[k] * mean;
            value[first + k] = count[k] > 0.0F ? centre[first + k] + mean : centre[first + k];
            variance[first + k] = count[k] > 1.0F
                                      ? (rest > 0.0F ? rest : 0.0F) / (count[k] * (count[k] - 1.0F))
                                      : frame::kNoValue;
        }
    }
}

template <std::size_t L>
[[gnu::always_inline]] inline Row<L> everything() {
    Row<L> row;
    row.fill(std::numeric_limits<float>::infinity());
    return row;
}

/// What the scatter of pixels of that median is never taken to be less than.
template <std::size_t L>
[[gnu::always_inline]] inline Row<L> floorOf(const Plan& plan, const Row<L>& median) {
    const auto sky = static_cast<float>(plan.rule.floorSigma);
    const auto light = static_cast<float>(plan.rule.floorLight);
    const auto share = static_cast<float>(plan.rule.floorShare);
    Row<L> floor;
    floor.fill(sky);
    if (light > 0.0F || share > 0.0F) {
        for (std::size_t k = 0; k < L; ++k) {
            const float m = median[k] > 0.0F ? median[k] : 0.0F;
            floor[k] = std::sqrt(sky * sky + m * (light + share * share * m));
        }
    }
    return floor;
}

template <std::size_t L>
[[gnu::always_inline]] inline Row<L>
spacingSigma(const float* sorted, const Plan& plan, const Row<L>& median) {
    Row<L> sigma;
    const float* low = sorted + plan.low * L;
    const float* high = sorted + plan.high * L;
    const Row<L> floor = floorOf<L>(plan, median);
    for (std::size_t k = 0; k < L; ++k) {
        const float s = (high[k] - low[k]) * plan.perDistance;
        sigma[k] = s > floor[k] ? s : floor[k];
    }
    return sigma;
}

template <std::size_t L>
[[gnu::always_inline]] inline Row<L> reachOf(const Row<L>& sigma, double clip) {
    Row<L> reach;
    const auto factor = static_cast<float>(clip);
    for (std::size_t k = 0; k < L; ++k) {
        reach[k] = factor * sigma[k];
    }
    return reach;
}

template <std::size_t L>
[[gnu::always_inline]] inline void
combineMedian(const float* sorted, const Plan& plan, float* value, float* variance) {
    const Row<L> median = medianRow<L>(sorted, plan.n);
    const Row<L> sigma = spacingSigma<L>(sorted, plan, median);
    const auto n = static_cast<float>(plan.n);
    constexpr float pi = 3.14159265F;
    const float factor = pi / (2.0F * n + pi - 2.0F);
    for (std::size_t k = 0; k < L; ++k) {
        value[k] = median[k];
        variance[k] = sigma[k] * sigma[k] * factor;
    }
}

/// 1.4826 times the median distance from the centre; `scratch` holds as many values as the columns.
template <std::size_t L>
[[gnu::always_inline]] inline Row<L>
deviationSigma(const float* values, const Plan& plan, const Row<L>& centre, float* scratch) {
    for (std::size_t f = 0; f < plan.n; ++f) {
        for (std::size_t k = 0; k < L; ++k) {
            scratch[f * L + k] = std::abs(values[f * L + k] - centre[k]);
        }
    }
    sortColumns<L>(scratch, plan);
    Row<L> sigma = medianRow<L>(scratch, plan.n);
    const Row<L> floor = floorOf<L>(plan, centre);
    for (std::size_t k = 0; k < L; ++k) {
        const float s = 1.4826F * sigma[k];
        sigma[k] = s > floor[k] ? s : floor[k];
    }
    return sigma;
}

/// The scatter that SigmaClip goes by.
template <std::size_t L>
[[gnu::always_inline]] inline Row<L>
clipSigma(const float* sorted, const Plan& plan, const Row<L>& centre, float* scratch) {
    return plan.rule.byMedianDeviation ? deviationSigma<L>(sorted, plan, centre, scratch)
                                       : spacingSigma<L>(sorted, plan, centre);
}

/// Huber's winsorised scatter: values drawn in to 1.5 sigma, their deviation x 1.134, until it settles.
template <std::size_t L>
[[gnu::always_inline]] inline Row<L>
winsorisedSigma(const float* sorted, const Plan& plan, const Row<L>& centre) {
    Row<L> sigma = spacingSigma<L>(sorted, plan, centre);
    const auto n = static_cast<float>(plan.n);
    const Row<L> floor = floorOf<L>(plan, centre);
    for (int round = 0; round < 5; ++round) {
        Row<L> sum{};
        Row<L> squares{};
        for (std::size_t f = 0; f < plan.n; ++f) {
            const float* row = sorted + f * L;
            for (std::size_t k = 0; k < L; ++k) {
                const float limit = 1.5F * sigma[k];
                const float raw = row[k] - centre[k];
                const float upper = raw < limit ? raw : limit;
                const float d = upper > -limit ? upper : -limit;
                sum[k] += d;
                squares[k] += d * d;
            }
        }
        for (std::size_t k = 0; k < L; ++k) {
            const float rest = (squares[k] - sum[k] * sum[k] / n) / (n - 1.0F);
            const float s = 1.134F * std::sqrt(rest > 0.0F ? rest : 0.0F);
            sigma[k] = s > floor[k] ? s : floor[k];
        }
    }
    return sigma;
}

template <std::size_t L>
[[gnu::always_inline]] inline void
combineTrimmed(const float* sorted, const Plan& plan, float* value, float* variance) {
    const std::size_t first = plan.trimmed;
    const std::size_t last = plan.n - 1 - plan.trimmed;
    const Row<L> centre = medianRow<L>(sorted, plan.n);
    Row<L> unused;
    meanWithin<L>(
        sorted + first * L, last - first + 1, centre, everything<L>(), value, unused.data());
    // Winsorised variance: the values off the ends count as the last ones kept.
    Row<L> sum{};
    Row<L> squares{};
    for (std::size_t f = 0; f < plan.n; ++f) {
        const float* row = sorted + std::clamp(f, first, last) * L;
        for (std::size_t k = 0; k < L; ++k) {
            const float d = row[k] - centre[k];
            sum[k] += d;
            squares[k] += d * d;
        }
    }
    const auto n = static_cast<float>(plan.n);
    const float left = 1.0F - 2.0F * static_cast<float>(plan.trimmed) / n;
    for (std::size_t k = 0; k < L; ++k) {
        const float rest = (squares[k] - sum[k] * sum[k] / n) / (n - 1.0F);
        variance[k] = rest / (left * left * n);
    }
}

/// A line through the frames' values, and how far from it a value may lie.
template <std::size_t L>
struct Line {
    Row<L> centre{};
    Row<L> slope{};
    Row<L> middle{};
    Row<L> reach{};
};

/// Straight line through the values in order of the frames, refitted without what it leaves out.
template <std::size_t L>
[[gnu::always_inline]] inline void combineLine(const float* ordered,
                                               const Plan& plan,
                                               float* scratch,
                                               float* value,
                                               float* variance,
                                               Line<L>* line = nullptr) {
    const std::size_t n = plan.n;
    std::copy(ordered, ordered + n * L, scratch);
    sortColumns<L>(scratch, plan);
    const Row<L> centre = medianRow<L>(scratch, n);
    Row<L> slope{};
    Row<L> middle{};
    Row<L> reach = everything<L>();
    Row<L> weights{};
    Row<L> squares{};
    const Row<L> floor = floorOf<L>(plan, centre);
    for (int round = 0; round < kLineRounds; ++round) {
        Row<L> s0{}, sx{}, sxx{}, sy{}, sxy{}, syy{};
        for (std::size_t f = 0; f < n; ++f) {
            const float x = plan.abscissa[f];
            const float* row = ordered + f * L;
            for (std::size_t k = 0; k < L; ++k) {
                const float y = row[k] - centre[k];
                const float w = std::abs(y - middle[k] - slope[k] * x) <= reach[k] ? 1.0F : 0.0F;
                s0[k] += w;
                sx[k] += w * x;
                sxx[k] += w * x * x;
                sy[k] += w * y;
                sxy[k] += w * x * y;
                syy[k] += w * y * y;
            }
        }
        for (std::size_t k = 0; k < L; ++k) {
            const float det = s0[k] * sxx[k] - sx[k] * sx[k];
            const bool good = s0[k] >= 3.0F && det > 0.0F;
            const float b = good ? (s0[k] * sxy[k] - sx[k] * sy[k]) / det : 0.0F;
            const float a = s0[k] > 0.0F ? (sy[k] - b * sx[k]) / s0[k] : 0.0F;
            slope[k] = b;
            middle[k] = a;
            const float rest = syy[k] - a * sy[k] - b * sxy[k];
            squares[k] = rest > 0.0F ? rest : 0.0F;
            weights[k] = s0[k];
        }
        if (round == kLineRounds - 1) {
            break; // nothing more is left out
        }
        // The scatter about the line from the median absolute residual.
        for (std::size_t f = 0; f < n; ++f) {
            for (std::size_t k = 0; k < L; ++k) {
                const float y = ordered[f * L + k] - centre[k];
                scratch[f * L + k] = std::abs(y - middle[k] - slope[k] * plan.abscissa[f]);
            }
        }
        sortColumns<L>(scratch, plan);
        const Row<L> residual = medianRow<L>(scratch, n);
        for (std::size_t k = 0; k < L; ++k) {
            const float s = 1.4826F * residual[k];
            reach[k] = static_cast<float>(plan.rule.clip) * (s > floor[k] ? s : floor[k]);
        }
    }
    for (std::size_t k = 0; k < L; ++k) {
        value[k] = centre[k] + middle[k];
        variance[k] =
            weights[k] > 2.0F ? squares[k] / ((weights[k] - 2.0F) * weights[k]) : frame::kNoValue;
    }
    if (line != nullptr) {
        *line = {centre, slope, middle, reach};
    }
}

template <std::size_t L>
[[gnu::always_inline]] inline void
combineLanes(float* columns, const Plan& plan, float* scratch, float* value, float* variance) {
    switch (plan.rule.combination) {
    case Combination::Mean: {
        Row<L> first;
        std::copy(columns, columns + L, first.begin());
        meanWithin<L>(columns, plan.n, first, everything<L>(), value, variance);
        return;
    }
    case Combination::LineClip: combineLine<L>(columns, plan, scratch, value, variance); return;
    default: break;
    }
    sortColumns<L>(columns, plan);
    const Row<L> centre = medianRow<L>(columns, plan.n);
    switch (plan.rule.combination) {
    case Combination::Median: combineMedian<L>(columns, plan, value, variance); break;
    case Combination::PercentileClip: combineTrimmed<L>(columns, plan, value, variance); break;
    case Combination::WinsorisedClip:
        meanWithin<L>(columns,
                      plan.n,
                      centre,
                      reachOf<L>(winsorisedSigma<L>(columns, plan, centre), plan.rule.clip),
                      value,
                      variance);
        break;
    default:
        meanWithin<L>(columns,
                      plan.n,
                      centre,
                      reachOf<L>(clipSigma<L>(columns, plan, centre, scratch), plan.rule.clip),
                      value,
                      variance);
    }
}

} // namespace pathmark::combine::kernels
