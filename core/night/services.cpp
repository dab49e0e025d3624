#include "core/night/services.h"

#include "core/base/leap_seconds.h"
#include "core/base/names.h"
#include "core/base/toml.h"
#include "core/base/whole_file.h"
#include "core/night/data_files.h"
#include "core/orbit/formats/orbit_file.h"
#include "core/orbit/formats/site_codes.h"
#include "core/orbit/place/earth_turn.h"

#include <fmt/format.h>

#include <algorithm>

namespace pathmark::night {
namespace {

namespace fs = std::filesystem;

constexpr std::array kDataNames{std::pair{DataKind::Orbits, "orbits"},
                                std::pair{DataKind::Comets, "comets"},
                                std::pair{DataKind::Sites, "sites"},
                                std::pair{DataKind::EarthOrientation, "earth-orientation"},
                                std::pair{DataKind::LeapSeconds, "leap-seconds"}};

/// Whether a file is what it should be.
Result<bool> check(DataKind kind, const fs::path& file) {
    const auto told = [](const auto& read) -> Result<bool> {
        return read ? Result<bool>(true) : fail(read.error());
    };
    switch (kind) {
    case DataKind::Orbits:
    case DataKind::Comets: return told(orbit::readOrbitFile(file));
    case DataKind::Sites: {
        orbit::SiteCodes codes;
        return told(codes.read(file));
    }
    case DataKind::EarthOrientation: return told(orbit::EarthTurn::read(file));
    case DataKind::LeapSeconds: return told(readLeapSeconds(file));
    }
    return true;
}

bool isAddressed(const std::string& key) {
    const std::array services{kFieldService, kSurveyService, kReportService, kReportMail};
    return dataKindNamed(key) || std::find(services.begin(), services.end(), key) != services.end();
}

Result<bool> readAddresses(const fs::path& file, std::map<std::string, std::string>& addresses) {
    const auto text = readWholeFile(file);
    if (!text) {
        return true;
    }
    try {
        const Toml document = Toml::parse(*text, file.string());
        for (const auto& [key, value] : document.table()) {
            if (!isAddressed(key)) {
                return fail(ErrorId::NightBadRecipe,
                            fmt::format("'{}' is nothing that is fetched.", key),
                            file.string());
            }
            addresses[key] = value.text();
        }
    } catch (const TomlError& problem) {
        return fail(ErrorId::NightBadRecipe, problem.what(), file.string());
    }
    return true;
}

} // namespace

const char* name(DataKind kind) {
    return nameIn(kDataNames, kind);
}

std::optional<DataKind> dataKindNamed(std::string_view name) {
    return valueNamed(kDataNames, name);
}

fs::path fetchedFile(DataKind kind) {
    switch (kind) {
    case DataKind::Orbits: return observersData("orbits.dat");
    case DataKind::Comets: return observersData("comets.dat");
    case DataKind::Sites: return observersSiteCodes();
    case DataKind::EarthOrientation: return observersData("earth-orientation.txt");
    case DataKind::LeapSeconds: return observersData("leap-seconds.list");
    }
    return {};
}

fs::path fetchedStore() {
    return observersData("catalogs");
}

Result<std::map<std::string, std::string>> serviceAddresses() {
    std::map<std::string, std::string> addresses;
    for (const fs::path& file : {dataFile("services.toml"), observersSettings("services.toml")}) {
        if (auto read = readAddresses(file, addresses); !read) {
            return fail(read.error());
        }
    }
    return addresses;
}

Result<catalog::FetchedFile> fetchData(DataKind kind,
                                       const std::string& address,
                                       const fs::path& target,
                                       const Patience& patience,
                                       const Job& job) {
    catalog::RemoteFile file;
    file.url = address;
    file.target = target;
    file.timeoutSeconds = patience.timeoutSeconds;
    file.tries = patience.tries;
    file.check = [kind](const fs::path& part) { return check(kind, part); };
    return catalog::fetchFile(file, job);
}

} // namespace pathmark::night
