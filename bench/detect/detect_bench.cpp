#include "core/detect/detect.h"

#include "core/catalog/store_writer.h"
#include "core/detect/matched_filter.h"
#include "core/solve/solve_frame.h"
#include "simulate/optics.h"
#include "simulate/painter.h"

#include <benchmark/benchmark.h>
#include <unistd.h>

#include <cmath>
#include <filesystem>
#include <optional>
#include <random>
#include <string>

namespace {

using namespace pathmark;

/// A frame of stars and the catalogue of them.
struct Field {
    int width;
    int height;
    frame::Image image;
    std::vector<catalog::StarRow> rows;

    Field(int w, int h, int stars) : width(w), height(h), image(w, h, 400.0F) {
        std::mt19937 random(1);
        simulate::Optics optics;
        optics.axis = simulate::unitVector(150.0, 20.0);
        optics.arcsecPerPixel = 1.0;
        optics.rotationDegrees = 20.0;
        optics.middleX = 0.5 * w;
        optics.middleY = 0.5 * h;
        const double reach = 0.9 * std::hypot(w, h) / 3600.0;
        std::uniform_real_distribution<double> offset(-reach, reach);
        std::uniform_real_distribution<double> share(0.0, 1.0);
        // So many of the catalogue's stars fall on the frame.
        const double area = w * static_cast<double>(h) / (3600.0 * 3600.0);
        const int count = static_cast<int>(stars * 4.0 * reach * reach / area);
        for (int i = 0; i < count; ++i) {
            catalog::StarRow row;
            row.sourceId = i;
            row.decDegrees = 20.0 + offset(random);
            row.raDegrees = 150.0 + offset(random) / 0.94;
            row.magG = static_cast<float>(18.0 + std::log10(share(random)) / 0.3);
            rows.push_back(row);
            const auto p = optics.place(simulate::unitVector(row.raDegrees, row.decDegrees));
            if (p && p->x > 5 && p->y > 5 && p->x < w - 5 && p->y < h - 5) {
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

/// Four megapixels with 1000 stars, or 26 with 4000.
const Field& field(bool large) {
    static const Field small(2400, 1700, 1000);
    if (!large) {
        return small;
    }
    static const Field big(6248, 4176, 4000);
    return big;
}

/// The limit: one separable convolution of the frame.
void BM_ConvolutionLimit(benchmark::State& state) {
    const Field& f = field(state.range(0) != 0);
    const detect::Background sky(f.image);
    for (auto _ : state) {
        benchmark::DoNotOptimize(detect::filterForPoints(f.image, sky, 2.5));
    }
}

BENCHMARK(BM_ConvolutionLimit)
    ->ArgName("large")
    ->Arg(0)
    ->Arg(1)
    ->Unit(benchmark::kMillisecond)
    ->UseRealTime();

void BM_Detect(benchmark::State& state) {
    const Field& f = field(state.range(0) != 0);
    std::size_t found = 0;
    for (auto _ : state) {
        const auto detection = detect::detectSources(f.image, {});
        if (!detection || detection->sources.size() < 600) {
            state.SkipWithError("too few sources");
            return;
        }
        found = detection->sources.size();
    }
    state.counters["sources"] = static_cast<double>(found);
}

BENCHMARK(BM_Detect)
    ->ArgName("large")
    ->Arg(0)
    ->Arg(1)
    ->Unit(benchmark::kMillisecond)
    ->UseRealTime();

/// A store of the field's stars, for as long as it is needed.
class BenchStore {
  public:
    explicit BenchStore(const Field& f)
        : folder_(std::filesystem::temp_directory_path() /
                  ("pathmark-bench-store-" + std::to_string(::getpid()))) {
        if (catalog::writeStore(folder_, "bench", f.rows)) {
            store_ = *catalog::StarStore::open(folder_, "bench");
        }
    }

    ~BenchStore() {
        std::error_code ignored;
        std::filesystem::remove_all(folder_, ignored);
    }

    BenchStore(const BenchStore&) = delete;
    BenchStore& operator=(const BenchStore&) = delete;

    [[nodiscard]] const catalog::StarStore& store() const { return *store_; }

  private:
    std::filesystem::path folder_;
    std::optional<catalog::StarStore> store_;
};

/// Detection and solution together, from a hint half a frame off, and from the frame before.
void solveFrames(benchmark::State& state, bool hasNeighbour, double aimMilliseconds) {
    const Field& f = field(state.range(0) != 0);
    const BenchStore bench(f);
    solve::SolveHint hint;
    hint.centre = skyDegrees(150.1, 20.05);
    hint.radius = Angle::degrees(0.6);
    hint.scaleLow = 0.8;
    hint.scaleHigh = 1.2;
    detect::DetectOptions options;
    options.looksAgain = false; // as the command solves
    const auto solveOnce = [&] {
        const auto detection = detect::detectSources(f.image, options);
        return detection ? solve::solveFrame(*detection,
                                             {f.width, f.height},
                                             Utc::julian(2457389.0),
                                             hint,
                                             {&bench.store(), nullptr, {}})
                         : Result<solve::Solution>(tl::make_unexpected(detection.error()));
    };
    if (hasNeighbour) {
        if (const auto first = solveOnce()) {
            hint.neighbour = first->wcs;
            hint.neighbour->referencePixel.x += 37.0;
            hint.neighbour->referencePixel.y -= 12.0;
            options.likelyFwhm = 2.5;
        }
    }
    for (auto _ : state) {
        const auto solution = solveOnce();
        if (!solution || solution->rmsArcsec > 0.2 ||
            (hasNeighbour && solution->foundBy != solve::FoundBy::Neighbour)) {
            state.SkipWithError("not solved as it should");
            break;
        }
    }
    state.counters["aim_ms"] = aimMilliseconds;
}

void BM_HintedSolve(benchmark::State& state) {
    solveFrames(state, false, state.range(0) != 0 ? 400.0 : 60.0);
}

BENCHMARK(BM_HintedSolve)
    ->ArgName("large")
    ->Arg(0)
    ->Arg(1)
    ->Unit(benchmark::kMillisecond)
    ->UseRealTime();

void BM_NextFrameOfASeries(benchmark::State& state) {
    solveFrames(state, true, state.range(0) != 0 ? 200.0 : 30.0);
}

BENCHMARK(BM_NextFrameOfASeries)
    ->ArgName("large")
    ->Arg(0)
    ->Arg(1)
    ->Unit(benchmark::kMillisecond)
    ->UseRealTime();

/// Stars of a field of one degree: the aim is 5 ms.
void BM_ReadField(benchmark::State& state) {
    const BenchStore bench(field(true));
    std::size_t stars = 0;
    for (auto _ : state) {
        const auto found = bench.store().field(
            skyDegrees(150.0, 20.0), Angle::degrees(0.5), Utc::julian(2457389.0));
        stars = found ? found->size() : 0;
        benchmark::DoNotOptimize(found);
    }
    state.counters["stars"] = static_cast<double>(stars);
    state.counters["aim_ms"] = 5.0;
}

BENCHMARK(BM_ReadField)->Unit(benchmark::kMillisecond)->UseRealTime();

} // namespace
