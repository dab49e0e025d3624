#include "core/stack/motion_plane.h"

#include <benchmark/benchmark.h>

#include <numbers>
#include <numeric>
#include <random>

namespace {

using namespace pathmark;

/// Sixty frames about a body in a view of 512 pixels.
stack::MovingFrames madeFrames() {
    constexpr int kSide = 512;
    constexpr int kFrames = 60;
    frame::Wcs wcs;
    wcs.referenceSky = skyDegrees(100.0, 20.0);
    wcs.referencePixel = {0.5 * kSide, 0.5 * kSide};
    const double s = Angle::arcsec(1.0).radians();
    wcs.cd = {-s, 0.0, 0.0, s};
    std::mt19937 random(1);
    std::normal_distribution<float> noise(0.0F, 10.0F);
    std::vector<stack::MovingFrame> frames;
    for (int k = 0; k < kFrames; ++k) {
        stack::MovingFrame frame;
        frame.light = frame::Image(kSide, kSide);
        for (float& v : frame.light.pixels()) {
            v = noise(random);
        }
        frame.minutes = k - 0.5 * (kFrames - 1);
        frame.noise = 10.0;
        frame.weight = 0.01;
        frame.star = detect::Moffat::round(3.0, 3.0);
        frames.push_back(std::move(frame));
    }
    return {{wcs, kSide, kSide}, std::move(frames)};
}

const stack::MovingFrames& cutFrames() {
    static const stack::MovingFrames made = madeFrames();
    return made;
}

/// Limit: 60 ms, so that the view follows the hand.
void BM_StackOfTheViewAtAMotion(benchmark::State& state) {
    std::vector<std::size_t> all(cutFrames().frames().size());
    std::iota(all.begin(), all.end(), 0U);
    combine::CombineRule rule;
    rule.combination = combine::Combination::SigmaClip;
    for (auto _ : state) {
        benchmark::DoNotOptimize(cutFrames().stacked({0.0213, -0.0127}, all, rule));
    }
}

BENCHMARK(BM_StackOfTheViewAtAMotion)->Unit(benchmark::kMillisecond)->UseRealTime();

/// Limit: 2 s for the light of the frames and the plane together.
void BM_MotionPlane(benchmark::State& state) {
    for (auto _ : state) {
        const stack::PointSums sums(cutFrames(), 40.0);
        benchmark::DoNotOptimize(sums.plane({sums.middle(), {}}, {1.0, 1.0}, 41));
    }
}

BENCHMARK(BM_MotionPlane)->Unit(benchmark::kMillisecond)->UseRealTime();

void BM_FitOfAMotion(benchmark::State& state) {
    const stack::PointSums sums(cutFrames(), 40.0);
    for (auto _ : state) {
        benchmark::DoNotOptimize(stack::fitMotion(sums, {sums.middle(), {}}, {0.5, 0.5}, 4.0, 1.0));
    }
}

BENCHMARK(BM_FitOfAMotion)->Unit(benchmark::kMillisecond)->UseRealTime();

} // namespace
