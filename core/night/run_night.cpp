#include "core/night/run_night.h"

#include "core/frame/folder_scan.h"
#include "core/night/context.h"
#include "core/night/results_folder.h"

#include <algorithm>
#include <set>

namespace pathmark::night {

namespace fs = std::filesystem;

Result<RunSummary> runNight(const RunOptions& options, const Job& job) {
    auto recipe = readRecipe(options.recipe);
    if (!recipe) {
        return fail(recipe.error());
    }
    auto file = openResults(options.out, options.nightFile);
    if (!file) {
        return fail(file.error());
    }
    auto store = catalog::StarStore::open(recipe->catalogStore, recipe->catalogName);
    if (!store) {
        return fail(store.error());
    }
    solve::CataloguePatterns patterns(recipe->catalogStore, recipe->catalogName, *store, job);
    auto sky = openSkyTables(recipe->skyTables);
    if (!sky) {
        return fail(sky.error());
    }
    identify::OrbitCatalog::Reading reading;
    auto orbits =
        identify::OrbitCatalog::open(recipe->orbitFiles, recipe->orbitIndex, job, reading);
    if (!orbits) {
        return fail(orbits.error());
    }
    for (auto& decided : kindDecisions(*file)) {
        recipe->rules.kinds.push_back(std::move(decided));
    }
    auto scan = frame::scanFolder(wholePath(options.folder), job, recipe->rules);
    if (!scan) {
        return fail(scan.error());
    }
    RunSummary summary;
    summary.failures = scan->failures;
    summary.failures.insert(
        summary.failures.end(), reading.badLines.begin(), reading.badLines.end());
    summary.frames = static_cast<int>(scan->frames.size());
    summary.nightFile = file->path();
    RunContext context{options.folder,
                       wholePath(options.out),
                       *recipe,
                       *file,
                       *store,
                       patterns,
                       *sky,
                       *orbits,
                       job,
                       summary.failures};
    const auto settings = {std::pair{"folder", wholePath(options.folder).string()},
                           std::pair{"recipe", wholePath(options.recipe).string()},
                           std::pair{"out", context.out.string()}};
    for (const auto& [key, value] : settings) {
        if (auto stored = file->setSetting(key, value); !stored) {
            return fail(stored.error());
        }
    }
    if (auto stored = file->replaceFrames(scan->frames); !stored) {
        return fail(stored.error());
    }
    CalibrationContext calibration = context.calibration();
    auto series = calibrateStep(calibration, scan->frames);
    if (!series) {
        Error error = series.error();
        error.subject = error.subject.empty() ? options.folder.string() : error.subject;
        return fail(std::move(error));
    }
    auto lights = lightStep(context, *series);
    if (!lights) {
        return fail(lights.error());
    }
    auto predictions = identifyStep(context, *lights);
    if (!predictions) {
        return fail(predictions.error());
    }
    const auto tracks = linkStep(context, *lights, *predictions);
    if (!tracks) {
        return fail(tracks.error());
    }
    const MeasurePlan plan = planBodies(context, *predictions);
    auto stacks = stackStep(context, *lights, *predictions, plan);
    if (!stacks) {
        return fail(stacks.error());
    }
    auto measurements = measureStep(context, *lights, *predictions, plan, *stacks);
    if (!measurements) {
        return fail(measurements.error());
    }
    job.progress("Writing reports", 0, 0);
    if (auto written = writeReports(*file, *recipe, context.out, summary.failures); !written) {
        return fail(written.error());
    }
    std::set<std::string> bodies;
    for (const auto& p : *predictions) {
        if (!p.candidate) {
            bodies.insert(p.body);
        }
    }
    summary.candidates = static_cast<int>(tracks->size());
    summary.bodies = static_cast<int>(bodies.size());
    summary.lights = static_cast<int>(lights->size());
    for (const auto& light : *lights) {
        summary.solved += light.solved() ? 1 : 0;
    }
    for (const auto& m : *measurements) {
        summary.measurements += m.seen ? 1 : 0;
        summary.kept += m.seen && m.state == MeasurementState::Kept ? 1 : 0;
    }
    return summary;
}

} // namespace pathmark::night
