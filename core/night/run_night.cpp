#include "core/night/run_night.h"

#include "core/base/hash.h"
#include "core/night/results_folder.h"
#include "core/night/steps/gather_step.h"
#include "core/night/steps/own_stars.h"
#include "core/night/steps/step.h"

#include <optional>
#include <set>

namespace pathmark::night {
namespace {

namespace fs = std::filesystem;

/// The digest of files' contents, remembered in the night file while they do not change.
Result<std::string> digestOf(NightFile& file, std::span<const fs::path> paths) {
    const auto ids = file.frameIds(paths);
    if (!ids) {
        return fail(ids.error());
    }
    Digest digest;
    for (const auto& id : *ids) {
        if (!id) {
            return fail(id.error());
        }
        digest.add(id->text());
    }
    return digest.hex();
}

RunSummary summaryOf(const NightRun& run) {
    RunSummary summary;
    std::set<BodyId> bodies;
    for (const auto& p : run.predictions) {
        if (!p.candidate) {
            bodies.insert(p.body);
        }
    }
    summary.frames = static_cast<int>(run.calibration.frames.size());
    summary.candidates = static_cast<int>(run.tracks.size());
    summary.bodies = static_cast<int>(bodies.size());
    summary.lights = static_cast<int>(run.lights.size());
    for (const auto& light : run.lights) {
        summary.solved += light.solved() ? 1 : 0;
    }
    for (const auto& m : run.measurements) {
        summary.measurements += m.seen ? 1 : 0;
        summary.kept += m.seen && m.state == MeasurementState::Kept ? 1 : 0;
    }
    summary.nightFile = run.file().path();
    summary.out = run.calibration.out;
    summary.failures = run.calibration.failures;
    return summary;
}

/// What the steps on frames need before there is a catalogue: the calibration, from which the frames' own stars come.
Result<bool> makeOwnCatalogue(CalibrationRun& run, Recipe& recipe) {
    if (auto done = mastersStep(run); !done) {
        return done;
    }
    if (auto made = makeOwnStars(run); !made) {
        return made;
    }
    recipe.catalogStore = run.out / kOwnStarsFolder;
    recipe.catalogName = kOwnStars;
    return true;
}

/// What of a run is known before the catalogue is.
struct Begun {
    Results results;
    NightPlaces places;
    std::string skyDigest;
    std::string orbitDigest;
    Decided decided;
};

Result<Begun> begin(const Recipe& recipe, const RunOptions& options) {
    const auto& from = options.part.from;
    if (!from.empty()) {
        if (auto begun = goOnFrom(from.front(), options.out); !begun) {
            return fail(begun.error());
        }
    }
    auto results = openResults(options.folder, options.out, options.nightFile);
    if (!results) {
        return fail(results.error());
    }
    NightFile& file = results->file;
    auto places = NightPlaces::of(options.folder, options.out, options.only);
    if (auto stored = file.setPlaces(places, wholePath(options.recipe)); !stored) {
        return fail(stored.error());
    }
    for (std::size_t k = 1; k < from.size(); ++k) {
        if (auto taken = takeProducts(from[k], file, places.out); !taken) {
            return fail(taken.error());
        }
    }
    auto skyDigest = digestOf(file, filesOf(recipe.skyTables));
    auto orbitDigest = digestOf(file, recipe.orbitFiles);
    auto decided = file.decided();
    if (!skyDigest || !orbitDigest || !decided) {
        return fail(!skyDigest     ? skyDigest.error()
                    : !orbitDigest ? orbitDigest.error()
                                   : decided.error());
    }
    return Begun{std::move(*results),
                 std::move(places),
                 std::move(*skyDigest),
                 std::move(*orbitDigest),
                 std::move(*decided)};
}

} // namespace

Result<RunSummary> runNight(const RunOptions& options, const Job& job) {
    auto recipe = readRecipe(options.recipe);
    if (!recipe) {
        return fail(recipe.error());
    }
    recipe->exclusions.insert(
        recipe->exclusions.end(), options.exclusions.begin(), options.exclusions.end());
    return runNight(*recipe, options, job);
}

Result<RunSummary> runNight(const Recipe& wanted, const RunOptions& options, const Job& job) {
    Recipe recipe = wanted;
    for (const std::string& note : recipe.notes) {
        job.message(note);
    }
    const auto openStore = [&recipe] {
        return catalog::StarStore::open(recipe.catalogStore, recipe.catalogName);
    };
    // What cannot be read is said before anything is made; that of the frames' own stars is yet to be made.
    auto store = recipe.ownStars ? std::nullopt : std::optional(openStore());
    if (store && !*store) {
        return fail(store->error());
    }
    auto sky = openSkyTables(recipe.skyTables);
    if (!sky) {
        return fail(sky.error());
    }
    identify::OrbitCatalog::Reading reading;
    auto orbits = identify::OrbitCatalog::open(recipe.orbitFiles, recipe.orbitIndex, job, reading);
    if (!orbits) {
        return fail(orbits.error());
    }
    auto begun = begin(recipe, options);
    if (!begun) {
        return fail(begun.error());
    }
    const CalibrationSettings settings = begun->decided.over(recipe.calibration);
    std::vector<Error> failures = reading.badLines;
    CalibrationRun calibration{begun->places.folder,
                               begun->places.out,
                               settings,
                               begun->results.file,
                               job,
                               failures,
                               std::move(begun->decided),
                               {},
                               {},
                               {},
                               {},
                               {}};
    calibration.part = options.part;
    if (auto gathered = gatherStep(calibration, recipe.rules); !gathered) {
        return fail(gathered.error());
    }
    if (recipe.ownStars) {
        if (auto made = makeOwnCatalogue(calibration, recipe); !made) {
            return fail(made.error());
        }
        store.emplace(openStore());
        if (!*store) {
            return fail(store->error());
        }
    }
    const catalog::StarStore& stars = **store;
    solve::CataloguePatterns patterns(recipe.catalogStore, recipe.catalogName, stars, job);
    NightRun run{std::move(calibration),
                 recipe,
                 stars,
                 patterns,
                 *sky,
                 *orbits,
                 begun->skyDigest,
                 begun->orbitDigest,
                 options.onSwept,
                 {},
                 {},
                 {},
                 {},
                 {},
                 {},
                 {},
                 {},
                 {},
                 {},
                 {}};
    if (auto done = runSteps(run, options.onMarked); !done) {
        return fail(done.error());
    }
    return summaryOf(run);
}

} // namespace pathmark::night
