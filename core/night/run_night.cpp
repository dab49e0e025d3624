#include "core/night/run_night.h"

#include "core/base/hash.h"
#include "core/night/results_folder.h"
#include "core/night/steps/gather_step.h"
#include "core/night/steps/step.h"

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

Result<RunSummary> runNight(const Recipe& recipe, const RunOptions& options, const Job& job) {
    for (const std::string& note : recipe.notes) {
        job.message(note);
    }
    auto results = openResults(options.folder, options.out, options.nightFile);
    if (!results) {
        return fail(results.error());
    }
    NightFile& file = results->file;
    auto store = catalog::StarStore::open(recipe.catalogStore, recipe.catalogName);
    if (!store) {
        return fail(store.error());
    }
    solve::CataloguePatterns patterns(recipe.catalogStore, recipe.catalogName, *store, job);
    auto sky = openSkyTables(recipe.skyTables);
    if (!sky) {
        return fail(sky.error());
    }
    identify::OrbitCatalog::Reading reading;
    auto orbits = identify::OrbitCatalog::open(recipe.orbitFiles, recipe.orbitIndex, job, reading);
    if (!orbits) {
        return fail(orbits.error());
    }
    const auto places = NightPlaces::of(options.folder, options.out, options.only);
    if (auto stored = file.setPlaces(places, wholePath(options.recipe)); !stored) {
        return fail(stored.error());
    }
    const auto skyDigest = digestOf(file, filesOf(recipe.skyTables));
    const auto orbitDigest = digestOf(file, recipe.orbitFiles);
    auto decided = file.decided();
    if (!skyDigest || !orbitDigest || !decided) {
        return fail(!skyDigest     ? skyDigest.error()
                    : !orbitDigest ? orbitDigest.error()
                                   : decided.error());
    }
    const CalibrationSettings calibration = decided->over(recipe.calibration);
    std::vector<Error> failures = reading.badLines;
    NightRun run{{places.folder,
                  places.out,
                  calibration,
                  file,
                  job,
                  failures,
                  std::move(*decided),
                  {},
                  {},
                  {},
                  {},
                  {}},
                 recipe,
                 *store,
                 patterns,
                 *sky,
                 *orbits,
                 *skyDigest,
                 *orbitDigest,
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
    if (auto gathered = gatherStep(run.calibration, recipe.rules); !gathered) {
        return fail(gathered.error());
    }
    if (auto done = runSteps(run); !done) {
        return fail(done.error());
    }
    return summaryOf(run);
}

} // namespace pathmark::night
