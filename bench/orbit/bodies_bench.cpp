#include "core/identify/bodies_in_frame.h"
#include "core/orbit/motion/kepler.h"

#include <benchmark/benchmark.h>

#include <filesystem>
#include <random>

namespace {

using namespace pathmark;

const std::vector<orbit::Elements>& orbits() {
    static const std::vector<orbit::Elements> made = [] {
        std::mt19937 random(1);
        std::uniform_real_distribution<double> share(0.0, 1.0);
        std::vector<orbit::Elements> list(100000);
        for (auto& e : list) {
            e.eccentricity = 0.3 * share(random);
            e.perihelionAu = (2.1 + 1.2 * share(random)) * (1.0 - e.eccentricity);
            e.inclination = Angle::degrees(20.0 * share(random));
            e.node = Angle::degrees(360.0 * share(random));
            e.argument = Angle::degrees(360.0 * share(random));
            e.perihelionTime = Tdb::julian(2464000.0 - 1800.0 * share(random));
            e.brightness.h = 17.0;
        }
        return list;
    }();
    return made;
}

/// The limit: solving Kepler's equation once for each orbit.
void BM_KeplerLimit(benchmark::State& state) {
    for (auto _ : state) {
        double sum = 0.0;
        for (const auto& e : orbits()) {
            sum += orbit::propagateTwoBody(e, Tdb::julian(2464039.4)).position[0];
        }
        benchmark::DoNotOptimize(sum);
    }
    state.counters["orbits_per_s"] = benchmark::Counter(
        static_cast<double>(orbits().size()), benchmark::Counter::kIsIterationInvariantRate);
}

BENCHMARK(BM_KeplerLimit)->Unit(benchmark::kMillisecond)->UseRealTime();

void BM_BodiesInFrame(benchmark::State& state) {
    const auto planets = orbit::Planets::open(std::filesystem::path(PATHMARK_SOURCE_DIR) / "data" /
                                              "planets-1995-2055.bsp");
    identify::FrameOnSky frame;
    frame.width = 3000;
    frame.height = 3000;
    frame.middle = Utc::julian(2464039.4);
    frame.wcs.referenceSky = skyDegrees(177.2, 2.4);
    frame.wcs.referencePixel = {1500.0, 1500.0};
    const double s = Angle::arcsec(1.0).radians();
    frame.wcs.cd = {-s, 0.0, 0.0, s};
    for (auto _ : state) {
        const auto bodies = identify::bodiesInFrame(orbits(), *planets, {}, frame);
        if (!bodies || bodies->empty()) {
            state.SkipWithError("no bodies");
            return;
        }
    }
    state.counters["orbits_per_s"] = benchmark::Counter(
        static_cast<double>(orbits().size()), benchmark::Counter::kIsIterationInvariantRate);
}

BENCHMARK(BM_BodiesInFrame)->Unit(benchmark::kMillisecond)->UseRealTime();

} // namespace
