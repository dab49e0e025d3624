#include "core/night/calibrate_folder.h"

#include "core/night/results_folder.h"
#include "core/night/steps/calibrate_step.h"
#include "core/night/steps/gather_step.h"

namespace pathmark::night {

Result<CalibratedFolder> calibrateFolder(const CalibrateOptions& options, const Job& job) {
    auto results = openResults(options.folder, options.out, {});
    if (!results) {
        return fail(results.error());
    }
    NightFile& file = results->file;
    const auto places = NightPlaces::of(options.folder, options.out, options.only);
    if (auto stored = file.setPlaces(places, file.recipe()); !stored) {
        return fail(stored.error());
    }
    auto decided = file.decided();
    if (!decided) {
        return fail(decided.error());
    }
    const CalibrationSettings settings = decided->over(options.settings);
    CalibratedFolder result;
    CalibrationRun run{places.folder,
                       places.out,
                       settings,
                       file,
                       job,
                       result.failures,
                       std::move(*decided),
                       {},
                       {},
                       {},
                       {},
                       {}};
    if (auto gathered = gatherStep(run, options.rules); !gathered) {
        return fail(gathered.error());
    }
    if (auto built = mastersStep(run); !built) {
        return fail(built.error());
    }
    const FrameStep calibrating = calibrateStep();
    auto lights = passFrames(run, nullptr, std::span(&calibrating, 1));
    if (!lights) {
        return fail(lights.error());
    }
    for (const Series& one : run.series) {
        result.series.push_back({one.lights,
                                 one.calibration.match,
                                 one.calibration.noise,
                                 one.calibration.darkScale,
                                 one.calibration.withoutFlats,
                                 {}});
        for (const LightRecord& light : *lights) {
            if (light.series == one.lights.id) {
                result.series.back().files.push_back(light);
            }
        }
    }
    result.groups = run.series.front().night->groups;
    return result;
}

} // namespace pathmark::night
