#pragma once

#include "core/night/steps/night_run.h"

#include <string>

namespace pathmark::night {

/// Reports, CSV and summary from the night file, with the observer's decisions.
///
/// Errors   base.cannot_write, base.disk_full, night.file_damaged; a format that cannot be written, with the reason, goes
///          to `failures`
Result<bool> writeReports(const NightFile& file,
                          const Recipe& recipe,
                          const std::filesystem::path& out,
                          std::vector<Error>& failures);

/// Writes the run's reports.
Result<bool> reportStep(NightRun& run);

} // namespace pathmark::night
