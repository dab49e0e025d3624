#include "command/run_options.h"

#include "core/base/atomic_file.h"
#include "core/night/run_needs.h"

#include <CLI/CLI.hpp>

namespace pathmark::command {

void addRunOptions(CLI::App& verb, RunArguments& a) {
    verb.add_option("frames", a.places, "The night's frames: a folder, or files and folders")
        ->required();
    verb.add_option("--recipe",
                    a.options.recipe,
                    "What to make of it (TOML); without one the frames and the options below say");
    addSkyOptions(verb, a.sky);
    verb.add_option("--observer", a.observer, "Who observed and measured");
    verb.add_option("--store", a.store, "Folder of the catalogues");
    verb.add_option("--catalog", a.catalogName, "Catalogue");
    verb.add_option("--orbits", a.orbits, "Orbit files");
    verb.add_option_function<std::vector<std::string>>(
            "--exclude",
            [&a](const std::vector<std::string>& rules) {
                for (const std::string& rule : rules) {
                    a.options.exclusions.push_back(night::ruleFrom(rule).value());
                }
            },
            "Leave out lights by a rule, as \"fwhm above 1.4 median\" or \"stars below 50\"")
        ->check([](const std::string& rule) {
            return night::ruleFrom(rule)
                       ? std::string()
                       : "'" + rule +
                             "' is no rule: say a quality (fwhm, sky, noise, elongation, stars, "
                             "transparency, drift), above or below, a limit, and 'median' where "
                             "that counts in medians of the series.";
        });
    verb.add_option("--out", a.options.out, "Where the results go")->required();
    verb.add_option("--night", a.options.nightFile, "Night file; OUT/night.pmnight by default");
    addCommonOptions(verb, a.console);
}

Result<std::filesystem::path> recipeFor(const RunArguments& a) {
    if (!a.options.recipe.empty()) {
        return a.tellsMore()
                   ? fail(ErrorId::CommandWrongUse,
                          "A recipe says site, observer, catalogue and orbits; give them there or "
                          "leave --recipe away.")
                   : Result<std::filesystem::path>(a.options.recipe);
    }
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
    night::addFetched(choices);
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

int statusOf(const Error& error) {
    switch (error.id) {
    case ErrorId::CommandWrongUse:
    case ErrorId::NightBadRecipe:
    case ErrorId::CatalogNotFound:
    case ErrorId::OrbitUnknownSite: return kWrongUse;
    default: return kSomeFailed;
    }
}

} // namespace pathmark::command
