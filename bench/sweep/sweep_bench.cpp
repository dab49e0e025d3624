// A sweep beside its limit: adding and comparing 16-bit numbers that lie in the cache.
#include "core/sweep/sweep.h"

#include "core/base/parallel.h"
#include "core/sweep/sum_kernels.h"
#include "tests/support/made_maps.h"

#include <benchmark/benchmark.h>

#include <cmath>
#include <numbers>

namespace {

using namespace pathmark;

/// The limit: sums of two tiles compared with a threshold, each core with its own two tiles in the cache; additions a second of the
/// inner step alone.
void BM_AddAndCompareInCache(benchmark::State& state) {
    constexpr int kWidth = 256;
    constexpr int kHeight = 32;
    constexpr int kRounds = 2000;
    const std::vector<std::int16_t> thresholds(kWidth / sweep::kChunk, 30000);
    const auto workers = threadLimit();
    for (auto _ : state) {
        parallelFor(workers, [&](std::size_t worker) {
            std::vector<std::int16_t> a(kWidth * kHeight, static_cast<std::int16_t>(worker));
            std::vector<std::int16_t> b(kWidth * kHeight, 3);
            for (int k = 0; k < kRounds; ++k) {
                benchmark::DoNotOptimize(sweep::columnsAbove(
                    {a.data(), kWidth}, {b.data(), kWidth}, kHeight, thresholds));
            }
        });
    }
    state.counters["additions_per_s"] =
        benchmark::Counter(static_cast<double>(workers) * kRounds * kWidth * kHeight,
                           benchmark::Counter::kIsIterationInvariantRate);
}

BENCHMARK(BM_AddAndCompareInCache)->Unit(benchmark::kMillisecond)->UseRealTime();

/// Frames, side of the field in pixels, motions in thousands. A planted body must be found.
void BM_Sweep(benchmark::State& state) {
    test_support::MadeField field;
    field.frames = static_cast<int>(state.range(0));
    field.width = field.height = static_cast<int>(state.range(1));
    field.exposureSeconds = 20.0;
    const double middle = 0.5 * field.width;
    field.bodies.push_back({middle, middle, 20.3, -11.2, field.electronsFor(12.0)});
    const sweep::LightMaps maps = field.maps();
    sweep::SweepOptions options;
    options.bounds.leastRate = sweep::leastRate(maps);
    // The number of motions grows with the square of the rate.
    options.bounds.mostRate = 2.0;
    for (int round = 0; round < 12; ++round) {
        const auto plan = sweep::planOf(maps, options);
        const double ratio = 1000.0 * static_cast<double>(state.range(2)) /
                             static_cast<double>(plan ? plan->motions : 1);
        options.bounds.mostRate *= std::sqrt(ratio);
    }
    double additions = 0.0;
    double motions = 0.0;
    for (auto _ : state) {
        const auto result = sweep::sweepOver(maps, options, {});
        if (!result || result->candidates.empty() ||
            std::abs(result->candidates.front().track.velocity.x - 20.3) > 2.0) {
            state.SkipWithError("the planted body was not found");
            break;
        }
        additions = result->additions;
        motions = static_cast<double>(result->motions);
    }
    state.counters["motions"] = motions;
    state.counters["additions_per_s"] =
        benchmark::Counter(additions, benchmark::Counter::kIsIterationInvariantRate);
}

BENCHMARK(BM_Sweep)
    ->ArgNames({"frames", "side", "kmotions"})
    ->Args({12, 512, 2})
    ->Args({14, 2048, 5})
    ->Args({29, 2048, 5})
    ->Args({58, 2048, 5})
    ->Args({116, 2048, 5})
    ->Args({29, 2048, 15})
    ->Args({29, 2048, 35})
    ->Unit(benchmark::kMillisecond)
    ->UseRealTime()
    ->Iterations(1);

} // namespace
