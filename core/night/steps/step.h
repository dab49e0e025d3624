#pragma once

#include "core/night/product.h"
#include "core/night/steps/night_run.h"

#include <span>
#include <string>
#include <vector>

namespace pathmark::night {

/// One step of a night. The table of steps() is what a run goes through; a step is added by its own file and a line there.
struct Step {
    const char* name;  ///< as in the keys of its products
    int version;       ///< another one makes other products from the same inputs
    const char* words; ///< what it does, for people
    std::vector<ProductKind> takes;
    std::vector<ProductKind> makes;
    Result<bool> (*run)(
        NightRun&); ///< null: a step on single frames, done with its neighbours frame by frame
};

/// All steps in the order in which they are done.
std::span<const Step> steps();

/// The version of a step of the table.
int versionOf(const char* step);

/// Runs every step of the table, then cleans up. `onMarked`, which may be empty, is called when it is known where each light looks and
/// what is in it.
///
/// Errors   night.no_lights, base.*, night.*; single frames, bodies and lines go to the run's failures instead
Result<bool> runSteps(NightRun& run, const std::function<void()>& onMarked);

/// The table in words: what each step takes and makes, how many of its products the night has, and where they lie.
std::string explainSteps(const NightFile& file);

} // namespace pathmark::night
