#include "command/console.h"
#include "command/frame_input.h"
#include "command/sky_options.h"
#include "core/base/atomic_file.h"
#include "core/night/failures_json.h"
#include "core/night/made_recipe.h"
#include "core/night/run_night.h"
#include "core/night/steps/step.h"

#include <CLI/CLI.hpp>
#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <memory>

namespace pathmark::command {
namespace {

struct RunArguments {
    Console console;
    std::vector<std::string> places;
    night::RunOptions options;
    bool explain = false;
    SkyOptions sky; ///< what is told in place of a recipe, and what follows
    std::string observer;
    std::string store;
    std::string catalogName;
    std::vector<std::string> orbits;

    [[nodiscard]] bool tellsMore() const {
        return !sky.code.empty() || !sky.geodetic.empty() || !observer.empty() || !store.empty() ||
               !catalogName.empty() || !orbits.empty();
    }
};

/// Errors in how the program was called, as opposed to in the night.
bool isWrongUse(const Error& error) {
    return error.id == ErrorId::NightBadRecipe;
}

/// Without a recipe: that of the last run where nothing is told anew, else one made of what is told and of the frames.
Result<std::filesystem::path> recipeFor(const RunArguments& a) {
    const std::filesystem::path path = a.options.out / "recipe.toml";
    std::error_code ignored;
    if (!a.tellsMore() && std::filesystem::exists(path, ignored)) {
        return path;
    }
    night::RecipeChoices choices;
    choices.observer = a.observer;
    choices.store = a.store;
    choices.catalog = a.catalogName;
    choices.orbits.assign(a.orbits.begin(), a.orbits.end());
    choices.kernels.assign(a.sky.kernels.begin(), a.sky.kernels.end());
    choices.earthOrientation = a.sky.earthOrientation;
    if (!a.sky.code.empty() || !a.sky.geodetic.empty()) {
        auto site = siteOf(a.sky);
        if (!site) {
            return fail(site.error());
        }
        choices.site = std::move(*site);
    }
    const auto rules = frame::observersRules();
    if (!rules) {
        return fail(rules.error());
    }
    const std::vector<std::filesystem::path> places(a.places.begin(), a.places.end());
    const auto text = night::recipeText(choices, places, *rules);
    if (!text) {
        return fail(text.error());
    }
    if (auto made = makeFolder(a.options.out); !made) {
        return fail(made.error());
    }
    if (auto written = writeWholeText(path, *text); !written) {
        return fail(written.error());
    }
    a.console.say("What the night is run with stands in " + path.string() + ".");
    return path;
}

int run(const RunArguments& arguments) {
    const Job job = arguments.console.job();
    night::RunOptions options = arguments.options;
    if (!options.recipe.empty() && arguments.tellsMore()) {
        Console::complain({ErrorId::CommandWrongUse,
                           "A recipe says site, observer, catalogue and orbits; give them there or "
                           "leave --recipe away.",
                           {}});
        return kWrongUse;
    }
    if (options.recipe.empty()) {
        const auto recipe = recipeFor(arguments);
        if (!recipe) {
            Console::complain(recipe.error());
            const ErrorId id = recipe.error().id;
            return id == ErrorId::CatalogNotFound || id == ErrorId::OrbitUnknownSite ? kWrongUse
                                                                                     : kSomeFailed;
        }
        options.recipe = *recipe;
    }
    takePlaces({arguments.places.begin(), arguments.places.end()}, options);
    auto summary = night::runNight(options, job);
    if (!summary) {
        Console::complain(summary.error());
        return isWrongUse(summary.error()) ? kWrongUse : kSomeFailed;
    }
    for (const Error& error : summary->failures) {
        Console::complain(error);
    }
    arguments.console.say(fmt::format("{} of {} lights solved, {} known bodies in the field, {} "
                                      "candidates, {} measurements, {} kept for the report",
                                      summary->solved,
                                      summary->lights,
                                      summary->bodies,
                                      summary->candidates,
                                      summary->measurements,
                                      summary->kept));
    arguments.console.say(fmt::format(
        "The reports are in {}; the night file is {}. 'pathmark desk {}' shows the night.",
        summary->out.string(),
        summary->nightFile.string(),
        summary->nightFile.string()));
    if (arguments.explain) {
        if (const auto file = night::NightFile::open(summary->nightFile)) {
            arguments.console.say(night::explainSteps(*file));
        }
    }
    if (arguments.console.json) {
        Console::print({{"done", true},
                        {"frames", summary->frames},
                        {"lights", summary->lights},
                        {"solved", summary->solved},
                        {"bodies", summary->bodies},
                        {"candidates", summary->candidates},
                        {"measurements", summary->measurements},
                        {"kept", summary->kept},
                        {"night", summary->nightFile.string()},
                        {"failures", night::failuresJson(summary->failures)}});
    }
    return summary->failures.empty() ? kDone : kSomeFailed;
}

} // namespace

void addRunVerb(CLI::App& program, Verb& chosen) {
    auto arguments = std::make_shared<RunArguments>();
    CLI::App* verb =
        program.add_subcommand("run", "Take a whole night from its folder to the report");
    verb->add_option(
            "frames", arguments->places, "The night's frames: a folder, or files and folders")
        ->required();
    verb->add_option("--recipe",
                     arguments->options.recipe,
                     "What to make of it (TOML); without one the frames and the options below say");
    addSkyOptions(*verb, arguments->sky);
    verb->add_option("--observer", arguments->observer, "Who observed and measured");
    verb->add_option("--store", arguments->store, "Folder of the catalogues");
    verb->add_option("--catalog", arguments->catalogName, "Catalogue");
    verb->add_option("--orbits", arguments->orbits, "Orbit files");
    verb->add_option("--out", arguments->options.out, "Where the results go")->required();
    verb->add_option(
        "--night", arguments->options.nightFile, "Night file; OUT/night.pmnight by default");
    verb->add_flag("--explain",
                   arguments->explain,
                   "Say what each step takes and makes, and where its products lie");
    addCommonOptions(*verb, arguments->console);
    verb->final_callback(
        [arguments, &chosen] { chosen = [arguments] { return run(*arguments); }; });
}

} // namespace pathmark::command
