#include "command/sky_options.h"

#include "core/orbit/formats/site_codes.h"

#include <cstdlib>

namespace pathmark::command {
namespace {

namespace fs = std::filesystem;

/// The list that is looked into without being named.
fs::path ownList() {
    if (const char* folder = std::getenv("XDG_DATA_HOME")) {
        return fs::path(folder) / "pathmark" / "observatory-codes.txt";
    }
    const char* home = std::getenv("HOME");
    return fs::path(home == nullptr ? "" : home) / ".local" / "share" / "pathmark" /
           "observatory-codes.txt";
}

} // namespace

void addSkyOptions(CLI::App& verb, SkyOptions& options) {
    auto* code = verb.add_option("--site", options.code, "Observatory code");
    verb.add_option("--site-geodetic",
                    options.geodetic,
                    "Longitude and latitude in degrees, altitude in metres")
        ->expected(3)
        ->excludes(code);
    verb.add_option("--sites", options.lists, "Lists of observatory codes");
    verb.add_option("--planets", options.kernels, "SPK kernels in place of the one that ships");
    verb.add_option("--earth-orientation",
                    options.earthOrientation,
                    "Table of UT1-UTC and the pole (finals2000A)");
}

Result<frame::Site> siteOf(const SkyOptions& options) {
    if (!options.geodetic.empty()) {
        frame::Site site;
        site.longitude = Angle::degrees(options.geodetic.at(0));
        site.latitude = Angle::degrees(options.geodetic.at(1));
        site.altitudeMetres = options.geodetic.at(2);
        return site;
    }
    if (options.code.empty()) {
        return fail(ErrorId::OrbitUnknownSite,
                    "Give the observer's place: --site CODE or --site-geodetic LON LAT ALT_M.");
    }
    orbit::SiteCodes codes;
    std::error_code status;
    if (options.lists.empty() && fs::exists(ownList(), status)) {
        if (auto read = codes.read(ownList()); !read) {
            return fail(read.error());
        }
    }
    for (const std::string& list : options.lists) {
        if (auto read = codes.read(list); !read) {
            return fail(read.error());
        }
    }
    return codes.find(options.code);
}

Result<night::SkyTables> tablesOf(const SkyOptions& options) {
    return night::openSkyTables(
        {{options.kernels.begin(), options.kernels.end()}, options.earthOrientation});
}

} // namespace pathmark::command
