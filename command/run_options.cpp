#include "command/run_options.h"

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
    verb.add_option(
            "--near",
            a.pointing,
            "RA and Dec in degrees, where the headers do not say where the telescope looked")
        ->expected(2);
    verb.add_flag("--offline", a.isOffline, "Fetch nothing: work with what is here");
    verb.add_option("--out", a.options.out, "Where the results go")->required();
    verb.add_option("--night", a.options.nightFile, "Night file; OUT/night.pmnight by default");
    addCommonOptions(verb, a.console);
}

namespace {

/// The site that is told; a code that no list here has is looked for in the public one.
Result<frame::Site> toldSite(const RunArguments& a, const Job& job) {
    auto site = siteOf(a.sky);
    if (site || a.isOffline || a.sky.code.empty() || !a.sky.lists.empty() ||
        site.error().id != ErrorId::OrbitUnknownSite) {
        return site;
    }
    if (auto fetched = night::fetchSiteCodes({}, job); !fetched) {
        job.message(toMessage(fetched.error()));
    }
    return siteOf(a.sky);
}

/// What is told now over what an earlier run was told. A code that no list has may be that of a profile, or of the headers' place.
Result<night::RecipeChoices> choicesOf(const RunArguments& a, const Job& job) {
    night::RecipeChoices told = night::toldBefore(a.options.out / "recipe.toml");
    if (!a.observer.empty()) {
        told.observers = told.measurers = {a.observer};
    }
    if (!a.store.empty()) {
        told.store = a.store;
        told.catalog.clear();
    }
    if (!a.catalogName.empty()) {
        told.catalog = a.catalogName;
    }
    if (!a.orbits.empty()) {
        told.orbits.assign(a.orbits.begin(), a.orbits.end());
    }
    if (!a.sky.kernels.empty()) {
        told.kernels.assign(a.sky.kernels.begin(), a.sky.kernels.end());
    }
    if (!a.sky.earthOrientation.empty()) {
        told.earthOrientation = a.sky.earthOrientation;
    }
    if (!a.sky.code.empty() || !a.sky.geodetic.empty()) {
        auto site = toldSite(a, job);
        const bool isOpen =
            !site && site.error().id == ErrorId::OrbitUnknownSite && a.sky.geodetic.empty();
        if (!site && !isOpen) {
            return fail(site.error());
        }
        told.site = site ? std::optional(std::move(*site)) : std::nullopt;
        told.siteName.clear();
    }
    return told;
}

} // namespace

Result<night::PreparedNight> recipeFor(const RunArguments& a) {
    if (!a.options.recipe.empty()) {
        return a.tellsMore()
                   ? fail(ErrorId::CommandWrongUse,
                          "A recipe says site, observer, catalogue and orbits; give them there or "
                          "leave --recipe away.")
                   : Result<night::PreparedNight>({a.options.recipe, {}});
    }
    const std::filesystem::path path = a.options.out / "recipe.toml";
    std::error_code ignored;
    if (!a.tellsMore() && std::filesystem::exists(path, ignored) &&
        !night::isUnfinishedRecipe(path)) {
        return night::PreparedNight{path, {}};
    }
    const auto request = prepareRequestOf(a);
    return request ? night::prepareNight(*request, a.console.job()) : fail(request.error());
}

Result<night::PrepareRequest> prepareRequestOf(const RunArguments& a) {
    auto told = choicesOf(a, a.console.job());
    if (!told) {
        return fail(told.error());
    }
    night::PrepareRequest request;
    request.places.assign(a.places.begin(), a.places.end());
    request.out = a.options.out;
    if (!told->site) {
        request.site = a.sky.code;
    }
    request.told = std::move(*told);
    request.fetches = !a.isOffline;
    if (!a.pointing.empty()) {
        if (!isPlace(a.pointing[0], a.pointing[1])) {
            return fail(ErrorId::CommandWrongUse, "--near takes RA and Dec in degrees.");
        }
        request.pointing = skyDegrees(a.pointing[0], a.pointing[1]);
    }
    return request;
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
