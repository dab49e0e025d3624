#pragma once

#include "core/night/records.h"
#include "core/orbit/place/ephemeris.h"

#include <filesystem>
#include <functional>
#include <optional>
#include <span>
#include <string>
#include <vector>

// What many nights say together: a body's brightness over years, and how far each field was searched.
namespace pathmark::night {

/// What one place and time of a body's orbit makes of its brightness.
struct BodyDistances {
    double sunAu = 0.0;
    double observerAu = 0.0;
    Angle phase; ///< Sun - body - observer
};

/// A measurement of a body in one of many nights.
struct BodyOverYears {
    std::filesystem::path nightFile;
    MeasurementRecord measured;
    std::optional<BodyDistances> distances;

    /// The magnitude at one au from Sun and observer: m - 5 log10(r delta).
    [[nodiscard]] std::optional<double> reducedMagnitude() const;
};

/// How far a field was searched for what nobody knows.
enum class FieldSearch {
    Never,        ///< too few solved frames for anything that moves
    FrameByFrame, ///< for what is seen on single frames
    Swept,        ///< along all motions, for what is too faint for one
};

const char* name(FieldSearch search);

/// Lights of one night that look at the same place, and how far they were searched.
struct FieldOverYears {
    std::filesystem::path nightFile;
    std::string title; ///< of the series
    Utc first;
    Utc last;
    SkyPos middle;
    double widthDegrees = 0.0;
    double heightDegrees = 0.0;
    std::size_t lights = 0;
    std::size_t solved = 0;
    std::string filter;
    std::optional<double> limit; ///< magnitude, median of the lights
    FieldSearch search = FieldSearch::Never;
    std::optional<double> sweptTo; ///< magnitude of what a sweep would have found
};

/// The night files that are meant: each a file, or all below a folder, in order of their names.
std::vector<std::filesystem::path> nightFilesIn(std::span<const std::filesystem::path> given);

/// Every measurement of a body that is kept, in order of time. `distancesAt` may be empty, and may know nothing of a time.
///
/// Errors   those of NightFile::open and its measurements; night.file_damaged where there is none
Result<std::vector<BodyOverYears>>
bodyOverYears(const std::filesystem::path& nightFile,
              const BodyId& body,
              const std::function<std::optional<BodyDistances>(const Utc&)>& distancesAt);

/// The fields of a night, one a series, in order of time.
///
/// Errors   those of NightFile::open and what is read of it
Result<std::vector<FieldOverYears>> fieldsOfNight(const std::filesystem::path& nightFile);

/// The tables as CSV or, where `isVoTable`, as VOTable.
std::string tableOf(std::span<const BodyOverYears> curve, bool isVoTable);
std::string tableOf(std::span<const FieldOverYears> fields, bool isVoTable);

} // namespace pathmark::night
