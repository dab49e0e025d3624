#include "bench/support/shipped_kernel.h"
#include "core/base/whole_file.h"
#include "core/identify/bodies_in_frame.h"
#include "core/orbit/formats/designation.h"
#include "core/orbit/formats/one_line.h"
#include "core/orbit/motion/kepler.h"

#include <benchmark/benchmark.h>

#include <algorithm>
#include <filesystem>
#include <fstream>
#include <random>

namespace {

using namespace pathmark;
using bench::planets;

/// A catalogue of the real one's mixture: 93 % main belt, 1 % Trojans, 5 % that cross the inner planets' paths, 1 % farther out.
std::vector<orbit::Elements> makeOrbits(std::size_t count) {
    std::mt19937 random(1);
    std::uniform_real_distribution<double> share(0.0, 1.0);
    std::vector<orbit::Elements> list(count);
    for (std::size_t i = 0; i < count; ++i) {
        orbit::Elements& e = list[i];
        const double kind = share(random);
        double a = 2.15 + 1.1 * share(random);
        e.eccentricity = 0.25 * share(random);
        if (kind > 0.99) {
            a = 20.0 + 30.0 * share(random);
        } else if (kind > 0.98) {
            a = 5.15 + 0.1 * share(random);
        } else if (kind > 0.93) {
            a = 0.9 + 2.0 * share(random);
            e.eccentricity = 0.2 + 0.6 * share(random);
        }
        e.name = "(" + std::to_string(i + 1) + ")";
        e.perihelionAu = a * (1.0 - e.eccentricity);
        e.inclination = Angle::degrees(18.0 * share(random) * share(random));
        e.node = Angle::degrees(360.0 * share(random));
        e.argument = Angle::degrees(360.0 * share(random));
        e.epoch = Tdb::julian(2464000.5);
        const double period = 365.25 * a * std::sqrt(a);
        e.perihelionTime = Tdb::julian(2464000.5 - period * share(random));
        e.brightness.h = 17.0;
    }
    return list;
}

const identify::OrbitCatalog& catalog(std::size_t count) {
    static std::size_t size = 0;
    static identify::OrbitCatalog made = identify::OrbitCatalog::make({});
    if (size != count) {
        made = identify::OrbitCatalog::make(makeOrbits(count));
        size = count;
    }
    return made;
}

identify::FrameOnSky field(double shiftDegrees) {
    identify::FrameOnSky frame;
    frame.width = 3000;
    frame.height = 3000;
    frame.middle = Utc::julian(2464100.4, 0.01 * shiftDegrees);
    frame.wcs.referenceSky = skyDegrees(177.2 + shiftDegrees, 2.4);
    frame.wcs.referencePixel = {1500.0, 1500.0};
    const double s = Angle::arcsec(1.0).radians();
    frame.wcs.cd = {-s, 0.0, 0.0, s};
    return frame;
}

/// The limit: solving Kepler's equation once for each orbit.
void BM_KeplerLimit(benchmark::State& state) {
    const auto orbits = makeOrbits(static_cast<std::size_t>(state.range(0)));
    for (auto _ : state) {
        double sum = 0.0;
        for (const auto& e : orbits) {
            sum += orbit::propagateTwoBody(e, Tdb::julian(2464100.4)).position[0];
        }
        benchmark::DoNotOptimize(sum);
    }
}

BENCHMARK(BM_KeplerLimit)
    ->Arg(100000)
    ->ArgName("orbits")
    ->Unit(benchmark::kMillisecond)
    ->UseRealTime();

/// First frame of a night, 100 days after the epoch. Aim for 1.4 million: 0.5 s.
void BM_FirstFrame(benchmark::State& state) {
    const auto& all = catalog(static_cast<std::size_t>(state.range(0)));
    for (auto _ : state) {
        const auto frame = field(0.0);
        auto night = identify::NightBodies::make(
            all, planets(), frame.middle.plusSeconds(-7200.0), frame.middle.plusSeconds(14400.0));
        const auto bodies = identify::bodiesInFrame(*night, planets(), {}, frame);
        if (!bodies || bodies->empty()) {
            state.SkipWithError("no bodies");
            return;
        }
        state.counters["bodies"] = static_cast<double>(bodies->size());
        state.counters["integrated"] = static_cast<double>(night->integrated());
    }
}

BENCHMARK(BM_FirstFrame)
    ->Arg(100000)
    ->Arg(1400000)
    ->ArgName("orbits")
    ->Unit(benchmark::kMillisecond)
    ->UseRealTime();

/// The frames after it, dithered by some arcminutes. Aim: 10 ms.
void BM_NextFrame(benchmark::State& state) {
    const auto& all = catalog(static_cast<std::size_t>(state.range(0)));
    const auto first = field(0.0);
    auto night = identify::NightBodies::make(
        all, planets(), first.middle.plusSeconds(-7200.0), first.middle.plusSeconds(14400.0));
    benchmark::DoNotOptimize(identify::bodiesInFrame(*night, planets(), {}, first));
    double shift = 0.0;
    for (auto _ : state) {
        shift = shift > 0.1 ? 0.0 : shift + 0.01;
        const auto bodies = identify::bodiesInFrame(*night, planets(), {}, field(shift));
        if (!bodies || bodies->empty()) {
            state.SkipWithError("no bodies");
            return;
        }
    }
}

BENCHMARK(BM_NextFrame)
    ->Arg(100000)
    ->Arg(1400000)
    ->ArgName("orbits")
    ->Unit(benchmark::kMillisecond)
    ->UseRealTime();

/// Files of one-line orbits, each made once and gone at the end.
class OrbitFiles {
  public:
    OrbitFiles() : folder_(std::filesystem::temp_directory_path() / "pathmark-bench-orbits") {
        std::filesystem::create_directories(folder_);
    }

    OrbitFiles(const OrbitFiles&) = delete;
    OrbitFiles& operator=(const OrbitFiles&) = delete;

    ~OrbitFiles() {
        std::error_code ignored;
        std::filesystem::remove_all(folder_, ignored);
    }

    [[nodiscard]] const std::filesystem::path& folder() const { return folder_; }

  private:
    std::filesystem::path folder_;
};

std::filesystem::path oneLineFile(std::size_t count) {
    static const OrbitFiles files;
    const auto path = files.folder() / (std::to_string(count) + ".txt");
    if (!std::filesystem::exists(path)) {
        std::ofstream out(path);
        for (auto& e : makeOrbits(count)) {
            if (const auto line = orbit::toOneLine(e)) {
                out << *line << '\n';
            }
        }
    }
    return path;
}

/// The limit of an import: counting the lines of the file in memory.
void BM_ImportLimit(benchmark::State& state) {
    const auto path = oneLineFile(static_cast<std::size_t>(state.range(0)));
    for (auto _ : state) {
        const auto text = readWholeFile(path);
        benchmark::DoNotOptimize(std::count(text->begin(), text->end(), '\n'));
    }
}

/// Aim for 1.4 million: 5 s, index written.
void BM_Import(benchmark::State& state) {
    const auto count = static_cast<std::size_t>(state.range(0));
    const std::vector<std::filesystem::path> files{oneLineFile(count)};
    const auto folder = files.front().parent_path() / "index";
    for (auto _ : state) {
        std::filesystem::remove_all(folder);
        identify::OrbitCatalog::Reading reading;
        const auto read = identify::OrbitCatalog::open(files, folder, {}, reading);
        if (!read || read->size() != count || !reading.badLines.empty()) {
            state.SkipWithError("not all orbits were read");
            return;
        }
    }
    std::filesystem::remove_all(folder);
}

BENCHMARK(BM_ImportLimit)
    ->Arg(100000)
    ->Arg(1400000)
    ->ArgName("orbits")
    ->Unit(benchmark::kMillisecond)
    ->UseRealTime();
BENCHMARK(BM_Import)
    ->Arg(100000)
    ->Arg(1400000)
    ->ArgName("orbits")
    ->Unit(benchmark::kMillisecond)
    ->UseRealTime();

} // namespace
