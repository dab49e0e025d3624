#include "command/sky_options.h"

#include "core/night/known_sites.h"

#include <fmt/format.h>

#include <cmath>

namespace pathmark::command {

bool isPlace(double longitude, double latitude) {
    return std::abs(longitude) <= 360.0 && std::abs(latitude) <= 90.0;
}

void addSkyOptions(CLI::App& verb, SkyOptions& options) {
    verb.add_option("--site", options.code, "Observatory code");
    verb.add_option(
            "--site-geodetic",
            options.geodetic,
            "Longitude and latitude in degrees, altitude in metres; counts where both are given")
        ->expected(3);
    verb.add_option("--sites", options.lists, "Lists of observatory codes");
    verb.add_option("--planets", options.kernels, "SPK kernels in place of the one that ships");
    verb.add_option("--earth-orientation",
                    options.earthOrientation,
                    "Table of UT1-UTC and the pole (finals2000A)");
}

std::vector<std::string> wordsOf(const SkyOptions& options) {
    std::vector<std::string> words;
    const auto add = [&words](const char* option, const std::vector<std::string>& values) {
        if (!values.empty()) {
            words.emplace_back(option);
            words.insert(words.end(), values.begin(), values.end());
        }
    };
    const auto one = [](const std::string& value) {
        return value.empty() ? std::vector<std::string>() : std::vector<std::string>{value};
    };
    std::vector<std::string> numbers;
    for (const double number : options.geodetic) {
        numbers.push_back(fmt::format("{}", number));
    }
    add("--site", one(options.code));
    add("--site-geodetic", numbers);
    add("--sites", options.lists);
    add("--planets", options.kernels);
    add("--earth-orientation", one(options.earthOrientation));
    return words;
}

Result<orbit::SiteCodes> codesFrom(std::span<const std::string> lists) {
    return night::knownSites(std::vector<std::filesystem::path>(lists.begin(), lists.end()));
}

Result<frame::Site> siteOf(const SkyOptions& options) {
    if (!options.geodetic.empty()) {
        frame::Site site;
        site.code = options.code; // a name for reports
        site.longitude = Angle::degrees(options.geodetic.at(0));
        site.latitude = Angle::degrees(options.geodetic.at(1));
        site.altitudeMetres = options.geodetic.at(2);
        return site;
    }
    if (options.code.empty()) {
        return fail(ErrorId::OrbitUnknownSite,
                    "Give the observer's place: --site CODE or --site-geodetic LON LAT ALT_M.");
    }
    auto codes = codesFrom(options.lists);
    if (!codes) {
        return fail(codes.error());
    }
    return codes->find(options.code);
}

Result<night::SkyTables> tablesOf(const SkyOptions& options) {
    return night::openSkyTables(
        {{options.kernels.begin(), options.kernels.end()}, options.earthOrientation});
}

} // namespace pathmark::command
