#pragma once

#include "core/base/angle.h"
#include "core/base/result.h"
#include "core/base/time.h"

#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

namespace pathmark::identify {

/// One known body in one frame of an archive.
struct ArchiveRow {
    std::string body;
    std::string file;
    Utc middle;
    SkyPos sky;
    double x = 0.0; ///< FITS pixel
    double y = 0.0;
    double rateArcsecPerMin = 0.0;
    double positionAngleDegrees = 0.0;
    std::optional<double> magnitude;         ///< predicted, V or a comet's total
    std::optional<double> limitingMagnitude; ///< of the frame
    double distanceAu = 0.0;
};

/// The rows with a line of names; texts with commas or quotes are quoted (RFC 4180).
std::string toArchiveCsv(std::span<const ArchiveRow> rows);

/// The rows as a VOTable 1.4 (TABLEDATA) with units and UCDs.
///
/// Source   IVOA Recommendation VOTable 1.4, 2019.
std::string toArchiveVoTable(std::span<const ArchiveRow> rows);

/// The rows of either text again, told apart by its first character; columns may stand in any order.
///
/// Errors   identify.bad_archive  no table of that kind, a column is missing, or a cell is wrong (its row is said)
Result<std::vector<ArchiveRow>> parseArchiveTable(std::string_view text);

} // namespace pathmark::identify
