#include "command/body_search.h"

#include <fmt/format.h>

namespace pathmark::command {

void addBodySearchOptions(CLI::App& verb, BodySearchOptions& options) {
    verb.add_option("--orbits", options.orbits, "Orbit files")->required();
    addSkyOptions(verb, options.sky);
    verb.add_option("--index", options.indexFolder, "Folder for the index of the orbit files");
}

Result<BodySearch> openBodySearch(const BodySearchOptions& options, const Console& console) {
    auto site = siteOf(options.sky);
    auto tables = tablesOf(options.sky);
    if (!site || !tables) {
        return fail(site ? tables.error() : site.error());
    }
    const std::vector<std::filesystem::path> files(options.orbits.begin(), options.orbits.end());
    identify::OrbitCatalog::Reading reading;
    auto catalog = identify::OrbitCatalog::open(files, options.indexFolder, console.job(), reading);
    if (!catalog) {
        return fail(catalog.error());
    }
    for (const Error& error : reading.badLines) {
        Console::complain(error);
    }
    if (reading.duplicates > 0) {
        console.say(fmt::format("{} orbits of bodies that stand in the files twice are left out; "
                                "the first counts.",
                                reading.duplicates));
    }
    return BodySearch{*site, std::move(*tables), std::move(*catalog)};
}

int statusOf(const Error& error, const BodySearchOptions& options) {
    const bool noSite = error.id == ErrorId::OrbitUnknownSite && options.sky.code.empty();
    return noSite ? kWrongUse : kSomeFailed;
}

} // namespace pathmark::command
