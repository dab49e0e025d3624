#pragma once

#include "core/base/result.h"
#include "core/catalog/star.h"

#include <filesystem>
#include <string>
#include <vector>

namespace pathmark::catalog {

/// Rows read from a table and what was wrong with the rest.
struct ImportedRows {
    std::vector<StarRow> rows;
    std::uint64_t badRows = 0;
    std::string firstBad; ///< line number and reason of the first bad row
};

/// Reads a table of the Gaia archive as CSV, plain or gzip, by the archive's column names; columns may
/// stand in any order and all but ra, dec and phot_g_mean_mag may be missing.
///
/// Errors   catalog.bad_table  unreadable, or a needed column is missing
Result<ImportedRows> readGaiaCsv(const std::filesystem::path& path);

} // namespace pathmark::catalog
