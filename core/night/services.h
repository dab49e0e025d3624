#pragma once

#include "core/base/job.h"
#include "core/base/result.h"
#include "core/catalog/remote_file.h"

#include <array>
#include <filesystem>
#include <map>
#include <optional>
#include <string>
#include <string_view>

namespace pathmark::night {

/// Files that the program can fetch.
enum class DataKind { Orbits, Comets, Sites, EarthOrientation, LeapSeconds };

inline constexpr std::array kDataKinds{DataKind::Orbits,
                                       DataKind::Comets,
                                       DataKind::Sites,
                                       DataKind::EarthOrientation,
                                       DataKind::LeapSeconds};

/// "orbits", "comets", "sites", "earth-orientation", "leap-seconds".
const char* name(DataKind kind);
std::optional<DataKind> dataKindNamed(std::string_view name);

/// Where a kind is kept: in pathmark/ of the folder for data (XDG_DATA_HOME). It need not exist.
std::filesystem::path fetchedFile(DataKind kind);

/// Where catalogue fields are kept that were fetched without a store being named, and the name of that catalogue.
std::filesystem::path fetchedStore();
inline constexpr const char* kFetchedCatalog = "fetched";

/// What the address of the service of star catalogues is of.
inline constexpr const char* kFieldService = "field";

/// What the address of the sky survey is of.
inline constexpr const char* kSurveyService = "survey";

/// What the addresses of the report desk and of its mail are of.
inline constexpr const char* kReportService = "reports";
inline constexpr const char* kReportMail = "reports-mail";

/// Addresses by what they are of: those that ship, overruled by the observer's services.toml.
///
/// Errors   night.bad_recipe  a file that is no TOML, or an address of something that nobody knows
Result<std::map<std::string, std::string>> serviceAddresses();

/// How patiently something is fetched.
struct Patience {
    double timeoutSeconds = 60.0; ///< without a byte
    int tries = 3;
};

/// Fetches one kind to `target`; what came is read before it replaces anything.
///
/// Errors   as catalog::fetchFile, and those of the reader
Result<catalog::FetchedFile> fetchData(DataKind kind,
                                       const std::string& address,
                                       const std::filesystem::path& target,
                                       const Patience& patience,
                                       const Job& job);

} // namespace pathmark::night
