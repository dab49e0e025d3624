#pragma once

#include "core/base/job.h"
#include "core/base/result.h"
#include "core/night/night_part.h"
#include "core/night/recipe.h"

#include <filesystem>
#include <functional>
#include <string>
#include <vector>

namespace pathmark::night {

struct RunOptions {
    std::filesystem::path folder;
    std::filesystem::path recipe;
    std::filesystem::path out;
    std::filesystem::path nightFile; ///< empty: out/night.pmnight
    std::vector<std::filesystem::path> only =
        {};                                     ///< files and folders of `folder`; empty: all of it
    std::vector<ExclusionRule> exclusions = {}; ///< besides those of a recipe that is read
    NightPart part = {};                        ///< all of it, unless it is said otherwise
    std::function<void()> onMarked =
        {}; ///< may be empty: where each light looks and what is in it is in the night file; the rest follows
    std::function<void(const SweptBody&)> onSwept =
        {}; ///< may be empty: likely candidates of a sweep as they turn up; from the run's thread
};

/// How a run ended.
struct RunSummary {
    int frames = 0;
    int lights = 0;
    int solved = 0;
    int bodies = 0;     ///< known bodies in the frames
    int candidates = 0; ///< tracks of no known body
    int measurements = 0;
    int kept = 0;
    std::vector<Error> failures; ///< single frames, lines and bodies; the rest went on
    std::filesystem::path nightFile;
    std::filesystem::path out; ///< the results' folder
};

/// Takes a night from its folder to the reports. What a former run of the same output folder finished is
/// not done again, and the reports come out the same to the byte however often it was interrupted.
///
/// Errors   frame.no_frames, night.no_lights, night.bad_recipe, catalog.not_found, orbit.not_readable,
///          base.cannot_write, base.disk_full, night.cannot_store, base.cancelled
/// Threads  One run per output folder at a time.
Result<RunSummary> runNight(const RunOptions& options, const Job& job);

/// The same with a recipe that is in memory already; `options.recipe` is only remembered.
Result<RunSummary> runNight(const Recipe& recipe, const RunOptions& options, const Job& job);

} // namespace pathmark::night
