#pragma once

#include "core/base/result.h"
#include "core/report/observation.h"

#include <span>
#include <string>
#include <vector>

namespace pathmark::report {

/// The night's positions as ADES PSV: header records, then one table per set of columns.
///
/// Bodies that the standard has no name for are left out and named in `leftOut`, each once; the others go.
///
/// Errors   report.nothing_to_report  no observation
Result<std::string> toAdesPsv(const ReportHead& head,
                              std::span<const Observation> observations,
                              std::vector<Error>& leftOut);

/// The same as ADES XML.
Result<std::string> toAdesXml(const ReportHead& head,
                              std::span<const Observation> observations,
                              std::vector<Error>& leftOut);

/// The same as MPC 80-column lines under a header.
///
/// Bodies whose designation has no packed form are left out and named in `leftOut`, each once; the others go.
///
/// Errors   report.nothing_to_report
/// Source   Minor Planet Center, "Format for Optical Astrometric Observations".
Result<std::string> toEightyColumn(const ReportHead& head,
                                   std::span<const Observation> observations,
                                   std::vector<Error>& leftOut);

/// One 80-column line, without the line end.
///
/// Errors   report.no_packed_form
Result<std::string> eightyColumnLine(const ReportHead& head, const Observation& observation);

} // namespace pathmark::report
