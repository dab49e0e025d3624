#include "core/catalog/store_writer.h"
#include "core/detect/detect.h"

#include "core/detect/matched_filter.h"
#include "core/solve/solve_frame.h"
#include "simulate/optics.h"
#include "simulate/painter.h"

#include <benchmark/benchmark.h>

#include <filesystem>
#include <random>

namespace {

using namespace pathmark;

constexpr int kWidth = 2400;
constexpr int kHeight = 1700;

/// Four megapixels with 1000 stars and the catalogue of them.
struct Field {
    frame::Image image{kWidth, kHeight, 400.0F};
    std::vector<catalog::StarRow> rows;

    Field() {
        std::mt19937 random(1);
        std::uniform_real_distribution<double> offset(-0.8, 0.8);
        std::uniform_real_distribution<double> share(0.0, 1.0);
        simulate::Optics optics;
        optics.axis = simulate::unitVector(150.0, 20.0);
        optics.arcsecPerPixel = 1.0;
        optics.rotationDegrees = 20.0;
        optics.middleX = 0.5 * kWidth;
        optics.middleY = 0.5 * kHeight;
        for (int i = 0; i < 8000; ++i) {
            catalog::StarRow row;
            row.sourceId = i;
            row.decDegrees = 20.0 + offset(random);
            row.raDegrees = 150.0 + offset(random) / 0.94;
            row.magG = static_cast<float>(18.0 + std::log10(share(random)) / 0.3);
            rows.push_back(row);
            const auto p = optics.place(simulate::unitVector(row.raDegrees, row.decDegrees));
            if (p && p->x > 5 && p->y > 5 && p->x < kWidth - 5 && p->y < kHeight - 5) {
                simulate::paintPoint(image,
                                     {2.5, 0.05, 10.0, 3.0},
                                     p->x,
                                     p->y,
                                     std::pow(10.0, 0.4 * (26.0 - static_cast<double>(row.magG))));
            }
        }
        std::normal_distribution<float> noise(0.0F, 21.0F);
        for (float& v : image.pixels()) {
            v += noise(random);
        }
    }
};

const Field& field() {
    static const Field made;
    return made;
}

/// The limit: one separable convolution of the frame.
void BM_ConvolutionLimit(benchmark::State& state) {
    const detect::Background sky(field().image);
    for (auto _ : state) {
        benchmark::DoNotOptimize(detect::filterForPoints(field().image, sky, 2.5));
    }
}

BENCHMARK(BM_ConvolutionLimit)->Unit(benchmark::kMillisecond)->UseRealTime();

void BM_DetectFourMegapixels(benchmark::State& state) {
    std::size_t found = 0;
    for (auto _ : state) {
        const auto detection = detect::detectSources(field().image, {});
        if (!detection || detection->sources.size() < 600) {
            state.SkipWithError("too few sources");
            return;
        }
        found = detection->sources.size();
    }
    state.counters["sources"] = static_cast<double>(found);
}

BENCHMARK(BM_DetectFourMegapixels)->Unit(benchmark::kMillisecond)->UseRealTime();

/// Detection and hinted solution together: the aim is 60 ms.
void BM_HintedSolveFourMegapixels(benchmark::State& state) {
    const auto folder = std::filesystem::temp_directory_path() / "pathmark-bench-store";
    if (!catalog::writeStore(folder, "bench", field().rows)) {
        state.SkipWithError("no store");
        return;
    }
    const auto store = catalog::StarStore::open(folder, "bench");
    solve::SolveHint hint;
    hint.centre = skyDegrees(150.1, 20.05);
    hint.radius = Angle::degrees(0.6);
    hint.scaleLow = 0.8;
    hint.scaleHigh = 1.2;
    for (auto _ : state) {
        const auto detection = detect::detectSources(field().image, {});
        const auto solution =
            detection ? solve::solveFrame(*detection, {kWidth, kHeight}, Utc::julian(2457389.0), hint, {&*store, nullptr, {}})
                      : tl::make_unexpected(detection.error());
        if (!solution || solution->rmsArcsec > 0.2) {
            state.SkipWithError("not solved");
            break;
        }
    }
    state.counters["aim_ms"] = 60;
    std::filesystem::remove_all(folder);
}

BENCHMARK(BM_HintedSolveFourMegapixels)->Unit(benchmark::kMillisecond)->UseRealTime();

} // namespace
