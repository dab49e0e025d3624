#pragma once

#include "core/base/result.h"
#include "core/catalog/star.h"

#include <array>
#include <cstdint>
#include <filesystem>
#include <functional>
#include <optional>
#include <stop_token>
#include <string>
#include <string_view>
#include <vector>

namespace pathmark::catalog {

/// Columns that are read of a star table, by the public names of the Gaia archive.
enum class StarColumn : std::uint8_t {
    SourceId,
    Ra,
    Dec,
    RaError,
    DecError,
    Parallax,
    PmRa,
    PmDec,
    MagG,
    MagBp,
    MagRp,
    Ruwe,
    RefEpoch,
};

inline constexpr std::size_t kStarColumns = 13;

/// The archive's name of a column.
std::string_view name(StarColumn column);

/// Where each column stands in a table; -1: absent.
class ColumnPlaces {
  public:
    ColumnPlaces() { places_.fill(-1); }

    /// Takes note of the table's column number `place`; names count whatever their case.
    void offer(std::string_view columnName, int place);

    [[nodiscard]] int of(StarColumn column) const {
        return places_[static_cast<std::size_t>(column)];
    }

    /// The first of the needed columns (ra, dec, G magnitude) that is absent.
    [[nodiscard]] std::optional<std::string_view> missing() const;

  private:
    std::array<int, kStarColumns> places_{};
};

/// The numbers of one row in the order of StarColumn; NaN: absent.
struct RawRow {
    std::array<double, kStarColumns> value{};
    std::int64_t sourceId = 0;
};

/// What came of a table.
struct TableReport {
    std::uint64_t rows = 0;
    std::uint64_t badRows = 0;
    std::uint64_t declinationsOut = 0; ///< of those, the ones with a declination beyond the poles
    std::string firstBad;              ///< place and reason of the first bad row
    bool isCutOff = false;             ///< a service says that it did not send all
};

/// Counts a row that cannot be used; `place` is asked only for the first.
void countBad(TableReport& report,
              const RawRow& raw,
              const std::string& reason,
              const std::function<std::string()>& place);

/// Takes a block of rows, in the order of the table.
using RowSink = std::function<Result<bool>(const std::vector<StarRow>&)>;

/// Checks a row and turns it into one of a store; the reason why not, else.
std::optional<std::string> checkRow(const RawRow& raw, StarRow& row);

/// Reads a table of the Gaia archive: CSV or VOTable, plain or gzip, or FITS; told apart by their first bytes. Columns may
/// stand in any order and all but ra, dec and phot_g_mean_mag may be missing. The table is never held as a whole.
///
/// Errors   catalog.bad_table  unreadable, cut short, a needed column missing, or ra and dec exchanged;
///          base.cancelled; and what the sink returns
/// Cost     CSV: 0.6 us a row on two cores.
Result<TableReport>
readStarTable(const std::filesystem::path& path, const RowSink& sink, const std::stop_token& stop);

} // namespace pathmark::catalog
