#include "bench/solve/made_frames.h"
#include "core/base/parallel.h"
#include "core/catalog/star_store.h"
#include "core/catalog/store_writer.h"
#include "core/solve/solve_frame.h"

#include <CLI/CLI.hpp>
#include <fmt/format.h>
#include <unistd.h>

#include <algorithm>
#include <atomic>
#include <chrono>
#include <cmath>
#include <cstdio>
#include <filesystem>

// Source lists of made-up frames of every kind, solved from hints good, bad and absent; lists that are no sky at all; and
// blind solutions over a whole sky of 1.5 million stars.

namespace {

using namespace pathmark;
using namespace pathmark::bench;
namespace fs = std::filesystem;

const Utc kDate = Utc::julian(2457389.0);

struct Options {
    int frames = 200;
    int junk = 0;
    int junkSources = 320; ///< most of one list
    int junkBlind = 2;     ///< every so many-th list is blind; 0: none
    int allSky = 0;
    std::uint32_t seed = 1;
    bool verbose = false;
    int only = -1;
    double spurious = -1.0;
    double missing = -1.0;
};

class Stopwatch {
  public:
    [[nodiscard]] double seconds() const {
        return std::chrono::duration<double>(std::chrono::steady_clock::now() - start_).count();
    }

  private:
    std::chrono::steady_clock::time_point start_ = std::chrono::steady_clock::now();
};

struct Tally {
    int solved = 0;
    int wrong = 0;
    int missed = 0;
    int sparse = 0;
    std::vector<double> times;

    void print(const char* what) {
        std::sort(times.begin(), times.end());
        fmt::print("{}: {} of {} solved, {} wrong, {} with ten or more usable stars not solved, {} "
                   "have fewer; median {:.3f} s, nine of ten within {:.3f} s, longest {:.2f} s\n",
                   what,
                   solved,
                   times.size(),
                   wrong,
                   missed,
                   sparse,
                   times.empty() ? 0.0 : times[times.size() / 2],
                   times.empty() ? 0.0 : times[times.size() * 9 / 10],
                   times.empty() ? 0.0 : times.back());
    }
};

void judge(Tally& tally,
           int number,
           const Kind& kind,
           const Made& made,
           const Result<solve::Solution>& solution,
           double seconds,
           bool verbose) {
    const double worst = solution ? worstPixel(made, kind, solution->wcs) : 0.0;
    // A handful of stars cannot tell the distortion; they can tell the place.
    const bool isWrong = solution && worst > 3.0 + (made.usable < 10 ? kind.distortion : 0.0);
    const bool isMissed = !solution && made.usable >= 10;
    tally.solved += solution && !isWrong ? 1 : 0;
    tally.wrong += isWrong ? 1 : 0;
    tally.missed += isMissed ? 1 : 0;
    tally.sparse += made.usable < 10 ? 1 : 0;
    tally.times.push_back(seconds);
    if (verbose || isWrong || isMissed) {
        fmt::print(
            "{:3d} {}x{} {:.2f}\"/px {} sources ({} usable) mirrored {} distortion {:.1f} hint "
            "{}: {} in {:.3f} s, worst {:.2f} px, degree {}, log10 {:.1f} {}\n",
            number,
            kind.width,
            kind.height,
            kind.scale,
            made.sources.size(),
            made.usable,
            kind.mirrored,
            kind.distortion,
            kind.hint,
            isWrong ? "WRONG" : (solution ? "solved" : "not solved"),
            seconds,
            worst,
            solution ? solution->order : 0,
            solution ? solution->falseAlarmLog10 : 0.0,
            solution ? name(solution->foundBy) : solution.error().detail);
    }
}

solve::SolveHint hintFor(const Kind& kind, const Made& made, std::mt19937& random) {
    std::uniform_real_distribution<double> share(0.0, 1.0);
    const double frameRadius = 0.5 * std::hypot(kind.width, kind.height) * kind.scale / 3600.0;
    const double most =
        kind.hint == 0 ? 0.1 * frameRadius : std::min(2.0, made.catalogRadius - 0.7 * frameRadius);
    const double off = most * share(random) * kRadiansPerDegree;
    const double t = 2.0 * std::numbers::pi * share(random);
    const auto axis = simulate::toRaDec(made.optics.axis);
    solve::SolveHint hint;
    hint.centre = fromTangentPlane(skyDegrees(axis.raDegrees, axis.decDegrees),
                                   {off * std::cos(t), off * std::sin(t)});
    hint.radius = Angle::degrees(kind.hint == 0 ? frameRadius : std::max(frameRadius, most));
    hint.scaleLow = 0.8 * kind.scale;
    hint.scaleHigh = 1.2 * kind.scale;
    return hint;
}

/// Frames of every kind, each with a catalogue of its own.
bool everyKind(const Options& options, const fs::path& folder) {
    Tally tally;
    std::mt19937 random;
    for (int i = 0; i < options.frames; ++i) {
        random.seed(options.seed * 100003U + static_cast<std::uint32_t>(i));
        Kind kind = randomKind(random);
        kind.spurious = options.spurious >= 0.0 ? options.spurious : kind.spurious;
        kind.missing = options.missing >= 0.0 ? options.missing : kind.missing;
        if (options.only >= 0 && options.only != i) {
            continue;
        }
        const Made made = makeFrame(kind, random);
        const auto detection = detectionOf(made.sources);
        if (!catalog::writeStore(folder, "c", made.rows)) {
            return false;
        }
        const auto store = catalog::StarStore::open(folder, "c");
        solve::SolveHint hint;
        solve::CataloguePatterns patterns(folder, "c", *store, {});
        const bool blind = kind.hint == 2;
        if (blind) {
            patterns.get();
        } else {
            hint = hintFor(kind, made, random);
        }
        const Stopwatch watch;
        const auto solution = solve::solveFrame(detection,
                                                {kind.width, kind.height},
                                                kDate,
                                                hint,
                                                {&*store, blind ? &patterns : nullptr, {}});
        judge(tally, i, kind, made, solution, watch.seconds(), options.verbose);
        fs::remove_all(folder);
    }
    tally.print("Every kind");
    return tally.wrong == 0 && tally.missed == 0;
}

std::vector<catalog::StarRow> wholeSky(std::mt19937& random) {
    std::uniform_real_distribution<double> share(0.0, 1.0);
    std::vector<catalog::StarRow> rows(1'500'000);
    for (std::size_t i = 0; i < rows.size(); ++i) {
        rows[i].sourceId = static_cast<std::int64_t>(i);
        rows[i].raDegrees = 359.999 * share(random);
        rows[i].decDegrees = std::asin(2.0 * share(random) - 1.0) / kRadiansPerDegree;
        rows[i].magG = static_cast<float>(12.0 + std::log10(share(random) + 1e-7) / 0.35);
    }
    return rows;
}

/// Lists that are no sky, blind or with a hint; as many at once as there are cores. Returns how many
/// were solved.
int solveJunk(const Options& options,
              const catalog::StarStore& store,
              solve::CataloguePatterns& sky,
              std::vector<double>& times) {
    std::atomic<int> accepted = 0;
    std::atomic<int> done = 0;
    parallelFor(times.size(), [&](std::size_t i) {
        std::mt19937 random(options.seed * 1000003U + static_cast<std::uint32_t>(i));
        std::uniform_real_distribution<double> share(0.0, 1.0);
        const int sources =
            static_cast<int>(8.0 * std::pow(options.junkSources / 8.0, share(random)));
        const auto detection = detectionOf(makeJunk(2000, 1500, sources, random));
        solve::SolveHint hint;
        const bool blind =
            options.junkBlind > 0 && i % static_cast<std::size_t>(options.junkBlind) == 0;
        if (!blind) {
            hint = {skyDegrees(359.0 * share(random), 160.0 * share(random) - 80.0),
                    Angle::degrees(1.0 + share(random)),
                    2.0,
                    4.0,
                    {}};
        }
        const Stopwatch watch;
        if (solve::solveFrame(
                detection, {2000, 1500}, kDate, hint, {&store, blind ? &sky : nullptr, {}})) {
            ++accepted;
        }
        times[i] = watch.seconds();
        if (const int count = ++done; count % 500 == 0) {
            fmt::print("{} lists: {} solved so far\n", count, accepted.load());
            std::fflush(stdout);
        }
    });
    return accepted;
}

/// Blind over the whole sky, the scale unknown between 0.1 and 20 arcsec per pixel; and junk lists, blind and with hints.
bool overWholeSky(const Options& options, const fs::path& folder) {
    std::mt19937 random(options.seed);
    std::uniform_real_distribution<double> share(0.0, 1.0);
    const auto rows = wholeSky(random);
    if (!catalog::writeStore(folder, "sky", rows)) {
        return false;
    }
    const auto store = catalog::StarStore::open(folder, "sky");
    const Stopwatch building;
    solve::CataloguePatterns(folder, "sky", *store, {}).get();
    fmt::print(
        "Patterns of {} stars built and written in {:.1f} s\n", rows.size(), building.seconds());
    const Stopwatch opening;
    solve::CataloguePatterns sky(folder, "sky", *store, {});
    const solve::PatternIndex* patterns = sky.get();
    if (patterns == nullptr) {
        return false;
    }
    fmt::print("{} patterns of {} sizes, opened in {:.4f} s\n",
               patterns->quads().size(),
               patterns->levels().size(),
               opening.seconds());
    Tally tally;
    for (int i = 0; i < options.allSky; ++i) {
        Kind kind = randomKind(random);
        // Wide enough for a dozen of these stars; the design's aim.
        kind.scale =
            std::max(kind.scale,
                     1.6 * 3600.0 / std::sqrt(kind.width * static_cast<double>(kind.height)) * 0.5);
        const double ra = 360.0 * share(random);
        const double dec = std::asin(2.0 * share(random) - 1.0) / kRadiansPerDegree;
        kind.hint = 2;
        const Made made = makeFrameOf(kind, rows, ra, dec, random);
        const auto detection = detectionOf(made.sources);
        const Stopwatch watch;
        const auto solution =
            solve::solveFrame(detection, {kind.width, kind.height}, kDate, {}, {&*store, &sky, {}});
        judge(tally, i, kind, made, solution, watch.seconds(), options.verbose);
    }
    tally.print("Blind over the whole sky");
    std::vector<double> times(static_cast<std::size_t>(options.junk));
    const int accepted = solveJunk(options, *store, sky, times);
    std::sort(times.begin(), times.end());
    if (!times.empty()) {
        fmt::print("Junk: {} of {} lists solved; median {:.3f} s, longest {:.2f} s\n",
                   accepted,
                   times.size(),
                   times[times.size() / 2],
                   times.back());
    }
    return accepted == 0 && tally.wrong == 0 && tally.missed == 0;
}

} // namespace

int main(int argc, char** argv) {
    CLI::App app{"Solves made-up source lists"};
    Options options;
    app.add_option("--frames", options.frames, "Frames of every kind");
    app.add_option("--all-sky", options.allSky, "Frames solved blind over 1.5 million stars");
    app.add_option("--junk", options.junk, "Lists that are no sky");
    app.add_option("--junk-sources", options.junkSources, "Most sources of such a list");
    app.add_option("--junk-blind", options.junkBlind, "Every so many-th is blind; 0: none");
    app.add_option("--seed", options.seed, "Of the random numbers");
    app.add_option("--spurious", options.spurious, "Share of spurious sources");
    app.add_option("--missing", options.missing, "Share of stars not detected");
    app.add_option("--only", options.only, "Just this frame of every kind");
    app.add_flag("--verbose", options.verbose, "A line for every frame");
    CLI11_PARSE(app, argc, argv);
    const fs::path folder =
        fs::temp_directory_path() / fmt::format("pathmark-campaign-{}", ::getpid());
    bool good = options.frames == 0 || everyKind(options, folder);
    if (options.allSky > 0 || options.junk > 0) {
        good = overWholeSky(options, folder) && good;
    }
    fs::remove_all(folder);
    return good ? 0 : 2;
}
