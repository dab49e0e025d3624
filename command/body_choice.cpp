#include "command/body_choice.h"

#include "core/night/site_parallax.h"
#include "core/orbit/body_id.h"
#include "core/orbit/formats/orbit_file.h"

#include <CLI/CLI.hpp>

#include <algorithm>

namespace pathmark::command {

Result<orbit::Elements> bodyFrom(const std::vector<std::string>& orbitFiles,
                                 const std::string& body) {
    const std::vector<std::filesystem::path> files(orbitFiles.begin(), orbitFiles.end());
    auto orbits = orbit::readOrbitFiles(files);
    if (!orbits) {
        return fail(orbits.error());
    }
    for (const Error& error : orbits->badLines) {
        Console::complain(error);
    }
    const auto wanted = orbit::BodyId::of(body);
    const auto found =
        std::find_if(orbits->orbits.begin(), orbits->orbits.end(), [&](const auto& e) {
            return e.name == body || e.packed == body || orbit::BodyId::of(e.name) == wanted;
        });
    if (found == orbits->orbits.end()) {
        return fail(ErrorId::OrbitUnknownBody, "No orbit file given has this body.", body);
    }
    return *found;
}

void addBodyOptions(CLI::App& verb, BodyArguments& arguments) {
    verb.add_option("--body", arguments.body, "A body of the orbit files");
    verb.add_option("--orbits", arguments.orbits, "Orbit files");
    addSkyOptions(verb, arguments.sky);
}

std::string objectionTo(const BodyArguments& arguments) {
    if (arguments.body.empty()) {
        return {};
    }
    if (arguments.orbits.empty()) {
        return "--body needs --orbits FILE.";
    }
    if (arguments.sky.code.empty() && arguments.sky.geodetic.empty()) {
        return "--body needs the observer's place: --site CODE or --site-geodetic LON LAT ALT_M.";
    }
    return {};
}

Result<orbit::Place> SoughtBody::at(const Utc& time) const {
    return night::placeFrom(site, time, elements, tables);
}

Result<SoughtBody> seekBody(const BodyArguments& arguments) {
    auto elements = bodyFrom(arguments.orbits, arguments.body);
    auto site = siteOf(arguments.sky);
    auto tables = tablesOf(arguments.sky);
    if (!elements || !site || !tables) {
        return fail(!elements ? elements.error() : !site ? site.error() : tables.error());
    }
    return SoughtBody{std::move(*elements), *site, std::move(*tables)};
}

} // namespace pathmark::command
