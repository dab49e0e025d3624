#include "bench/desk/timed_application.h"
#include "desk/curve/curve_plots.h"

#include <benchmark/benchmark.h>

#include <cmath>
#include <random>

namespace {

using namespace pathmark;

constexpr int kCurveFrames = 131;
constexpr int kCurveStars = 500;

/// Steady stars of 12 to 18 mag and a body, with the noise of their photons.
night::FieldLights fieldOfStars() {
    std::mt19937 random(4);
    std::normal_distribution<double> noise;
    night::FieldLights lights;
    lights.targets.push_back({"body", std::nullopt, skyDegrees(100.0, 20.0)});
    for (int s = 0; s < kCurveStars; ++s) {
        catalog::Star star;
        star.sourceId = s + 1;
        const int row = s / 25;
        star.place = skyDegrees(100.0 + 0.001 * (s % 25), 20.0 + 0.001 * row);
        star.magG = 12.0 + 6.0 * s / kCurveStars;
        star.colour = 0.8;
        lights.stars.push_back(star);
    }
    auto& frames = lights.byBand[catalog::Band::R];
    const Utc start = parseUtc("2034-03-17T20:00:00").value();
    for (int f = 0; f < kCurveFrames; ++f) {
        night::LightFrame frame;
        frame.file = "light_" + std::to_string(f) + ".fits";
        frame.middle = start.plusSeconds(70.0 * f);
        frame.exposureSeconds = 60.0;
        frame.fwhmArcsec = 2.5;
        const auto lightOf = [&](double mag) {
            const double flux = 60.0 * std::pow(10.0, 0.4 * (22.6 - mag));
            const double error = std::sqrt(flux + 4000.0);
            return night::MeasurableFile::PlaceLight{flux + error * noise(random), error, 0};
        };
        for (const catalog::Star& star : lights.stars) {
            frame.stars.push_back(lightOf(star.magG));
        }
        frame.targets.push_back({lightOf(16.0), frame.middle, frame.middle.julian(), 0.0, {}});
        frames.push_back(std::move(frame));
    }
    return lights;
}

/// The curve of the star that the mouse came over, until it is drawn.
void BM_StarUnderTheCursor(benchmark::State& state) {
    bench::application();
    const night::FieldLights lights = fieldOfStars();
    const night::BandCurves curves = night::curvesOf(lights, catalog::Band::R, {});
    desk::Plot plot;
    plot.resize(480, 260);
    plot.setAxes({"UTC", true},
                 {{"R, mag", false, false, {}, {}, true}, {"star", false, false, {}, {}, true}});
    plot.show();
    int star = 0;
    for (auto _ : state) {
        star = (star + 37) % kCurveStars;
        plot.setSets(desk::curveSets(lights, curves, {0, star, std::nullopt}));
        QCoreApplication::processEvents(); // the drawing waits for them
        benchmark::DoNotOptimize(plot.grab());
    }
    state.counters["limit_ms"] = 30;
}

BENCHMARK(BM_StarUnderTheCursor)->Unit(benchmark::kMillisecond)->UseRealTime();

/// All curves anew: what follows when a comparison star is taken out.
void BM_CurvesOfAField(benchmark::State& state) {
    const night::FieldLights lights = fieldOfStars();
    for (auto _ : state) {
        benchmark::DoNotOptimize(night::curvesOf(lights, catalog::Band::R, {}));
    }
}

BENCHMARK(BM_CurvesOfAField)->Unit(benchmark::kMillisecond)->UseRealTime();

} // namespace
