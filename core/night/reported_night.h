#pragma once

#include "core/base/result.h"
#include "core/night/night_file.h"
#include "core/night/recipe.h"
#include "core/night/records.h"
#include "core/report/observation.h"

#include <string>
#include <vector>

namespace pathmark::night {

/// What reports are written from, with the observer's decisions laid over.
struct ReportedNight {
    std::vector<MeasurementRecord> measurements;
    std::vector<LightRecord> lights;
};

/// Errors   those of reading the night file
Result<ReportedNight> reportedOf(const NightFile& file);

/// The text of one report format ("psv", "xml" or "80") of the kept measurements. Bodies that the format has no form for are
/// left out and named in `leftOut`.
///
/// Errors   report.nothing_to_report, orbit.unknown_site
Result<std::string> reportText(const ReportedNight& night,
                               const Recipe& recipe,
                               const std::string& format,
                               std::vector<Error>& leftOut);

/// One line of the report, and what speaks against sending it.
struct ReportLine {
    std::string measurement; ///< MeasurementRecord::id
    report::Observation observation;
    std::vector<std::string> warnings; ///< each a sentence; empty: nothing does
};

/// The lines that are sent, in the order of the measurements.
///
/// Model    A line is warned of where its S/N is below 5; its position is uncertain by more than 1 arcsec; it is of a known body and
///          lies more than 1 arcsec and 3 of its own errors from the orbit; it has no magnitude, or one that is more than 1 mag and 3
///          errors from the body's median; fewer than 8 stars carried it; the time of its frame is in doubt; it is the only one of its
///          body; another of the body has the same time; its designation has no packed form; and of what lines say together, see reportDoubts.
std::vector<ReportLine> reportLines(const ReportedNight& night, const Recipe& recipe);

} // namespace pathmark::night
