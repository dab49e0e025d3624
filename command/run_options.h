#pragma once

#include "command/console.h"
#include "command/sky_options.h"
#include "core/night/needs/prepare_night.h"
#include "core/night/run_night.h"

#include <string>
#include <vector>

namespace pathmark::command {

/// What a run of a night is told.
struct RunArguments {
    Console console;
    std::vector<std::string> places;
    night::RunOptions options;
    SkyOptions sky; ///< what is told in place of a recipe, and what follows
    std::string observer;
    std::string store;
    std::string catalogName;
    std::vector<std::string> orbits;
    std::vector<double> pointing; ///< right ascension and declination, degrees
    bool isOffline = false;

    [[nodiscard]] bool tellsMore() const {
        return !sky.code.empty() || !sky.geodetic.empty() || !observer.empty() || !store.empty() ||
               !catalogName.empty() || !orbits.empty() || !pointing.empty();
    }
};

/// The frames, --recipe or what takes its place, --out, --night and what is common.
void addRunOptions(CLI::App& verb, RunArguments& arguments);

/// The recipe named; without one that of the last run where it lacks nothing and nothing is told anew, else one made of what is told, of the
/// frames, of the observer's profiles and of what is fetched.
///
/// Errors   command.wrong_use  both a recipe and what it says; orbit.unknown_site; as night::prepareNight
Result<night::PreparedNight> recipeFor(const RunArguments& arguments);

/// What a run without a recipe is to be prepared with.
///
/// Errors   command.wrong_use, orbit.unknown_site
Result<night::PrepareRequest> prepareRequestOf(const RunArguments& arguments);

/// The exit status where a recipe or a run failed.
int statusOf(const Error& error);

} // namespace pathmark::command
