#include "core/frame/fits_file.h"
#include "core/night/frame_picture.h"
#include "desk/session/picture.h"

#include <benchmark/benchmark.h>

#include <filesystem>
#include <random>

namespace {

using namespace pathmark;

/// A solved light of the given megapixels on disk.
night::LightRecord lightOf(int width, int height) {
    night::LightRecord light;
    light.raw = std::filesystem::temp_directory_path() /
                ("pathmark-bench-" + std::to_string(width) + ".fits");
    light.calibrated = light.raw;
    light.width = width;
    light.height = height;
    frame::Wcs wcs;
    wcs.referenceSky = skyDegrees(100.0, 20.0);
    wcs.referencePixel = {0.5 * width, 0.5 * height};
    const double s = Angle::arcsec(1.0).radians();
    wcs.cd = {s, 1e-3 * s, 1e-3 * s, -s};
    light.wcs = wcs;
    std::mt19937 random(1);
    std::normal_distribution<float> noise(100.0F, 10.0F);
    frame::Image image(width, height);
    for (float& v : image.pixels()) {
        v = noise(random);
    }
    if (!frame::writeFits(light.raw, image, {})) {
        light.wcs.reset();
    }
    return light;
}

/// From the file to the picture: what a jump along the Ribbon waits for. When the hand steps, it was read ahead.
void BM_JumpToFrame(benchmark::State& state) {
    const auto light = lightOf(static_cast<int>(state.range(0)), static_cast<int>(state.range(1)));
    if (!light.solved()) {
        state.SkipWithError("no frame");
        return;
    }
    const auto grid = night::viewGrid(light);
    for (auto _ : state) {
        const auto picture = desk::loadLight(desk::LightFile{light, {}}, grid, {});
        if (!picture || (*picture)->display.width() != light.width) {
            state.SkipWithError("no picture");
            break;
        }
    }
    state.counters["limit_ms"] = 250;
    std::filesystem::remove(light.raw);
}

BENCHMARK(BM_JumpToFrame)
    ->ArgNames({"width", "height"})
    ->Args({1600, 1280})
    ->Args({6248, 4176})
    ->Unit(benchmark::kMillisecond)
    ->UseRealTime();

} // namespace
