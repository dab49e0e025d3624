#include "core/stack/stack.h"

#include "core/frame/fits_file.h"

#include <benchmark/benchmark.h>

#include <filesystem>
#include <random>

namespace {

using namespace pathmark;

constexpr int kWidth = 1600;
constexpr int kHeight = 1280;
constexpr int kFrames = 10;

/// Ten frames of two megapixels on disk, each a little turned and shifted.
struct Frames {
    std::filesystem::path folder = std::filesystem::temp_directory_path() / "pathmark-bench-stack";
    std::vector<stack::StackFrame> list;

    Frames() {
        std::filesystem::create_directories(folder);
        std::mt19937 random(1);
        std::normal_distribution<float> noise(100.0F, 10.0F);
        frame::Image image(kWidth, kHeight);
        for (float& v : image.pixels()) {
            v = noise(random);
        }
        for (int i = 0; i < kFrames; ++i) {
            frame::Wcs wcs;
            wcs.referenceSky = skyDegrees(100.0, 20.0);
            wcs.referencePixel = {800.3 + i, 640.7 - i};
            const double s = Angle::arcsec(1.0).radians();
            const double t = 0.001 * i + (i < 5 ? 0.0 : std::numbers::pi);
            wcs.cd = {-s * std::cos(t), s * std::sin(t), s * std::sin(t), s * std::cos(t)};
            const auto path = folder / (std::to_string(i) + ".fits");
            if (frame::writeFits(path, image, {})) {
                list.push_back({path,
                                {wcs, {}},
                                Utc::julian(2464000.0).plusSeconds(60.0 * i),
                                10.0,
                                1.0,
                                0.0,
                                1e30,
                                {},
                                {}});
            }
        }
    }

    ~Frames() { std::filesystem::remove_all(folder); }

    Frames(const Frames&) = delete;
    Frames& operator=(const Frames&) = delete;
};

const Frames& frames() {
    static const Frames made;
    return made;
}

/// The limit: reading the same pixels once.
void BM_ReadLimit(benchmark::State& state) {
    for (auto _ : state) {
        for (const auto& f : frames().list) {
            benchmark::DoNotOptimize(frame::readFits(f.path));
        }
    }
    state.counters["pixels_per_s"] =
        benchmark::Counter(static_cast<double>(kWidth) * kHeight * kFrames,
                           benchmark::Counter::kIsIterationInvariantRate);
}

BENCHMARK(BM_ReadLimit)->Unit(benchmark::kMillisecond)->UseRealTime();

void BM_StackTenFrames(benchmark::State& state) {
    const stack::PixelGrid grid{frames().list.front().place.wcs, kWidth, kHeight};
    for (auto _ : state) {
        const auto stack = stack::stackFrames(frames().list, grid, {}, {});
        if (!stack || std::abs(static_cast<double>(stack->image.at(800, 640))) > 30.0) {
            state.SkipWithError("wrong stack");
            return;
        }
    }
    state.counters["pixels_per_s"] =
        benchmark::Counter(static_cast<double>(kWidth) * kHeight * kFrames,
                           benchmark::Counter::kIsIterationInvariantRate);
    state.counters["limit_ratio_aim"] = 2.0;
}

BENCHMARK(BM_StackTenFrames)->Unit(benchmark::kMillisecond)->UseRealTime();

} // namespace
