#pragma once

#include "core/base/result.h"
#include "core/report/observation.h"

#include <span>
#include <string>

namespace pathmark::report {

/// The night's positions as ADES PSV: header records, then one table per set of columns.
///
/// Errors   report.nothing_to_report  no observation
Result<std::string> toAdesPsv(const ReportHead& head, std::span<const Observation> observations);

/// The same as ADES XML.
Result<std::string> toAdesXml(const ReportHead& head, std::span<const Observation> observations);

/// The same as MPC 80-column lines under a header.
///
/// Errors   report.nothing_to_report; a body whose designation cannot be packed is an error too
/// Source   Minor Planet Center, "Format for Optical Astrometric Observations".
Result<std::string> toEightyColumn(const ReportHead& head,
                                   std::span<const Observation> observations);

/// One 80-column line, without the line end.
Result<std::string> eightyColumnLine(const std::string& stationCode,
                                     const Observation& observation);

} // namespace pathmark::report
