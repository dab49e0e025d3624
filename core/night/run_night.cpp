#include "core/night/run_night.h"

#include "core/base/atomic_file.h"
#include "core/frame/folder_scan.h"
#include "core/night/context.h"
#include "core/night/data_files.h"

#include <algorithm>
#include <regex>
#include <set>

namespace pathmark::night {
namespace {

namespace fs = std::filesystem;

/// Temporary files that a killed run left where runs write; only names of the form that writeWhole gives.
void removeLeftovers(const fs::path& out) {
    static const std::regex form("^\\..+\\.[0-9]+\\.tmp(\\..*)?$");
    for (const fs::path& folder : {out, out / "masters", out / "calibrated", out / "stacks"}) {
        std::error_code status;
        for (const auto& entry : fs::directory_iterator(folder, status)) {
            if (std::regex_match(entry.path().filename().string(), form)) {
                std::error_code ignored;
                fs::remove(entry.path(), ignored);
            }
        }
    }
}

/// A folder without a night file that holds what a run would write: somebody else's files.
std::optional<Error> foreignResults(const fs::path& out, const fs::path& nightFile) {
    std::error_code status;
    if (fs::exists(nightFile, status)) {
        return std::nullopt;
    }
    for (const char* name : {"masters",
                             "calibrated",
                             "stacks",
                             "report.psv",
                             "report.xml",
                             "report.80.txt",
                             "measurements.csv",
                             "summary.json"}) {
        if (fs::exists(out / name, status)) {
            return Error{
                ErrorId::BaseCannotWrite,
                "Is there already and was not written by a run; nothing of it is touched. Choose "
                "another output folder.",
                (out / name).string()};
        }
    }
    return std::nullopt;
}

} // namespace

Result<RunSummary> runNight(const RunOptions& options, const Job& job) {
    auto recipe = readRecipe(options.recipe);
    if (!recipe) {
        return fail(recipe.error());
    }
    if (auto made = makeFolder(options.out); !made) {
        return fail(made.error());
    }
    const fs::path nightFile =
        options.nightFile.empty() ? options.out / "night.pmnight" : options.nightFile;
    if (const auto foreign = foreignResults(options.out, nightFile)) {
        return fail(*foreign);
    }
    removeLeftovers(options.out);
    auto file = NightFile::open(nightFile);
    if (!file) {
        return fail(file.error());
    }
    auto store = catalog::StarStore::open(recipe->catalogStore, recipe->catalogName);
    if (!store) {
        return fail(store.error());
    }
    auto planets = orbit::Planets::open(
        recipe->planetsFile.empty() ? dataFile("planets-1995-2055.bsp") : recipe->planetsFile);
    if (!planets) {
        return fail(planets.error());
    }
    auto orbits = orbit::readOrbitFiles(recipe->orbitFiles);
    if (!orbits) {
        return fail(orbits.error());
    }
    auto scan = frame::scanFolder(options.folder, job);
    if (!scan) {
        return fail(scan.error());
    }
    RunSummary summary;
    summary.failures = scan->failures;
    summary.failures.insert(
        summary.failures.end(), orbits->badLines.begin(), orbits->badLines.end());
    summary.frames = static_cast<int>(scan->frames.size());
    summary.nightFile = file->path();
    RunContext context{options.folder,
                       fs::absolute(options.out),
                       *recipe,
                       *file,
                       *store,
                       *planets,
                       orbits->orbits,
                       job,
                       summary.failures};
    const auto settings = {std::pair{"folder", fs::absolute(options.folder).string()},
                           std::pair{"recipe", fs::absolute(options.recipe).string()},
                           std::pair{"out", context.out.string()}};
    for (const auto& [key, value] : settings) {
        if (auto stored = file->setSetting(key, value); !stored) {
            return fail(stored.error());
        }
    }
    if (auto stored = file->replaceFrames(scan->frames); !stored) {
        return fail(stored.error());
    }
    auto series = calibrateStep(context, scan->frames);
    if (!series) {
        return fail(series.error());
    }
    auto lights = lightStep(context, *series);
    if (!lights) {
        return fail(lights.error());
    }
    auto predictions = identifyStep(context, *lights);
    if (!predictions) {
        return fail(predictions.error());
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
        bodies.insert(p.body);
    }
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
