#include "bench/support/shipped_kernel.h"
#include "core/orbit/motion/kepler.h"
#include "core/orbit/place/ephemeris.h"

#include <benchmark/benchmark.h>

namespace {

using namespace pathmark;
using bench::planets;

orbit::Elements mainBelt() {
    orbit::Elements e;
    e.epoch = Tdb::julian(2464000.5);
    e.perihelionAu = 2.2;
    e.eccentricity = 0.12;
    e.inclination = Angle::degrees(8.0);
    e.node = Angle::degrees(110.0);
    e.argument = Angle::degrees(40.0);
    e.perihelionTime = Tdb::julian(2463500.0);
    e.brightness.h = 17.0;
    return e;
}

/// The limit of a day's place: one look at where Sun and planets are.
void BM_PlanetsLimit(benchmark::State& state) {
    const orbit::Forces forces(planets(), "", std::nullopt);
    orbit::Forces::Moment moment;
    double seconds = 1e9;
    for (auto _ : state) {
        benchmark::DoNotOptimize(forces.moment(seconds, moment));
        seconds += 86400.0;
        seconds = seconds > 1.5e9 ? 1e9 : seconds;
    }
}

BENCHMARK(BM_PlanetsLimit)->Unit(benchmark::kMicrosecond);

/// Aim: 20 ms.
void BM_EphemerisOfAYearByDays(benchmark::State& state) {
    frame::Site site;
    site.longitude = Angle::degrees(20.0);
    site.latitude = Angle::degrees(-30.0);
    const Utc start = Utc::julian(2464000.5);
    for (auto _ : state) {
        const auto ephemeris = orbit::Ephemeris::make(
            mainBelt(), planets(), start, start.plusSeconds(365.0 * 86400.0));
        double sum = 0.0;
        for (int day = 0; ephemeris && day <= 365; ++day) {
            const auto observer =
                orbit::observerAt(planets(), site, start.plusSeconds(86400.0 * day));
            sum += ephemeris->at(*observer).sky.longitude.radians();
        }
        if (!(sum > 1.0)) {
            state.SkipWithError("no places");
            return;
        }
    }
}

BENCHMARK(BM_EphemerisOfAYearByDays)->Unit(benchmark::kMillisecond);

/// One body of the catalogue brought from its epoch to the night.
void BM_Trajectory(benchmark::State& state) {
    const orbit::Elements body = mainBelt();
    const Tdb night = body.epoch.plusSeconds(86400.0 * static_cast<double>(state.range(0)));
    for (auto _ : state) {
        const auto made =
            orbit::Trajectory::make(body, planets(), night, night.plusSeconds(30000.0));
        if (!made) {
            state.SkipWithError("no trajectory");
            return;
        }
        benchmark::DoNotOptimize(made->nearestToEarthAu());
    }
}

BENCHMARK(BM_Trajectory)
    ->Arg(20)
    ->Arg(200)
    ->Arg(2000)
    ->ArgName("days")
    ->Unit(benchmark::kMicrosecond);

} // namespace
