#pragma once

#include "core/base/result.h"
#include "core/orbit/formats/observation.h"

#include <span>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

namespace pathmark::orbit {

/// One field of an ADES record: the element's name, which is also the column's head, and its text.
using AdesField = std::pair<std::string, std::string>;

/// Observations read from a file, and its records that could not be.
struct ObservationList {
    std::vector<Observation> observations; ///< in the order of the file
    std::vector<Error> badLines;           ///< file, line and column of each; the others are kept
    int replaced = 0;                      ///< records marked as replaced or deleted: left out
    int radar = 0;                         ///< kept in the list, not used in a fit
};

/// Reads ADES PSV: header records, then tables whose head names the columns.
///
/// Errors   orbit.not_readable  no observation in it
/// Source   IAU Astrometry Data Exchange Standard, 2022 version.
Result<ObservationList> parseAdesPsv(const std::string& text);

/// Reads ADES XML.
///
/// Errors   orbit.not_readable  no XML, or no observation in it
Result<ObservationList> parseAdesXml(const std::string& text);

/// The fields of an observation in the order of the standard; absent values are left out.
std::vector<AdesField> adesFieldsOf(const Observation& observation);

/// PSV tables of records: a change of columns starts a new table with its own head.
std::string adesTables(const std::vector<std::vector<AdesField>>& records);

/// Whole files of past observations.
std::string toAdesPsv(std::span<const Observation> observations);
std::string toAdesXml(std::span<const Observation> observations);

/// The version that is written.
constexpr const char* kAdesVersion = "2022";

} // namespace pathmark::orbit
