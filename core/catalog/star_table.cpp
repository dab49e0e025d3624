#include "core/catalog/star_table.h"

#include "core/base/text.h"
#include "core/catalog/csv_table.h"
#include "core/catalog/fits_table.h"
#include "core/catalog/votable.h"

#include <fmt/format.h>
#include <zlib.h>

#include <cmath>
#include <memory>

namespace pathmark::catalog {
namespace {

constexpr std::array<std::string_view, kStarColumns> kNames{"source_id",
                                                            "ra",
                                                            "dec",
                                                            "ra_error",
                                                            "dec_error",
                                                            "parallax",
                                                            "pmra",
                                                            "pmdec",
                                                            "phot_g_mean_mag",
                                                            "phot_bp_mean_mag",
                                                            "phot_rp_mean_mag",
                                                            "ruwe",
                                                            "ref_epoch"};

enum class TableKind { Csv, Votable, Fits, Unreadable };

TableKind kindOf(const std::filesystem::path& path) {
    const std::unique_ptr<gzFile_s, int (*)(gzFile)> file(gzopen(path.c_str(), "rb"), &gzclose);
    std::array<char, 512> head{};
    const int count = file ? gzread(file.get(), head.data(), head.size()) : -1;
    if (count <= 0) {
        return TableKind::Unreadable;
    }
    const std::string_view text(head.data(), static_cast<std::size_t>(count));
    if (text.starts_with("SIMPLE  =")) {
        return TableKind::Fits;
    }
    return trim(withoutByteOrderMark(text)).starts_with('<') ? TableKind::Votable : TableKind::Csv;
}

} // namespace

std::string_view name(StarColumn column) {
    return kNames[static_cast<std::size_t>(column)];
}

void ColumnPlaces::offer(std::string_view columnName, int place) {
    const std::string word = toLower(trim(columnName));
    for (std::size_t i = 0; i < kStarColumns; ++i) {
        if (word == kNames[i] && places_[i] < 0) {
            places_[i] = place;
        }
    }
}

std::optional<std::string_view> ColumnPlaces::missing() const {
    for (const StarColumn needed : {StarColumn::Ra, StarColumn::Dec, StarColumn::MagG}) {
        if (of(needed) < 0) {
            return name(needed);
        }
    }
    return std::nullopt;
}

std::optional<std::string> checkRow(const RawRow& raw, StarRow& row) {
    const auto value = [&](StarColumn column) {
        return raw.value[static_cast<std::size_t>(column)];
    };
    const auto real = [&](StarColumn column) { return static_cast<float>(value(column)); };
    const double ra = value(StarColumn::Ra);
    const double dec = value(StarColumn::Dec);
    const double magG = value(StarColumn::MagG);
    if (!std::isfinite(ra) || !std::isfinite(dec) || !std::isfinite(magG)) {
        return "ra, dec or phot_g_mean_mag is not a number";
    }
    if (!(ra >= 0.0 && ra < 360.0 && dec >= -90.0 && dec <= 90.0 && magG > -5.0 && magG < 40.0)) {
        return "ra, dec or phot_g_mean_mag is out of range";
    }
    row.sourceId = raw.sourceId;
    row.raDegrees = ra;
    row.decDegrees = dec;
    row.raErrorMas = real(StarColumn::RaError);
    row.decErrorMas = real(StarColumn::DecError);
    row.parallaxMas = real(StarColumn::Parallax);
    row.pmRaMasPerYear = real(StarColumn::PmRa);
    row.pmDecMasPerYear = real(StarColumn::PmDec);
    row.magG = static_cast<float>(magG);
    row.magBp = real(StarColumn::MagBp);
    row.magRp = real(StarColumn::MagRp);
    row.ruwe = real(StarColumn::Ruwe);
    const double epoch = value(StarColumn::RefEpoch);
    row.refEpoch = static_cast<float>(std::isfinite(epoch) ? epoch : 2016.0);
    return std::nullopt;
}

void countBad(TableReport& report,
              const RawRow& raw,
              const std::string& reason,
              const std::function<std::string()>& place) {
    if (report.badRows++ == 0) {
        report.firstBad = place() + ": " + reason;
    }
    report.declinationsOut +=
        std::abs(raw.value[static_cast<std::size_t>(StarColumn::Dec)]) > 90.0 ? 1U : 0U;
}

Result<TableReport>
readStarTable(const std::filesystem::path& path, const RowSink& sink, const std::stop_token& stop) {
    Result<TableReport> report =
        fail(ErrorId::CatalogBadTable, "The file cannot be read or is empty.", path.string());
    switch (kindOf(path)) {
    case TableKind::Csv: report = readCsvTable(path, sink, stop); break;
    case TableKind::Votable: report = readVotable(path, sink, stop); break;
    case TableKind::Fits: report = readFitsTable(path, sink, stop); break;
    case TableKind::Unreadable: break;
    }
    if (report && report->badRows > 0 && report->rows < report->badRows) {
        if (2 * report->declinationsOut > report->badRows) {
            return fail(
                ErrorId::CatalogBadTable,
                fmt::format("Most declinations lie beyond the poles ({} of {} rows): are ra and "
                            "dec exchanged?",
                            report->declinationsOut,
                            report->rows + report->badRows),
                path.string());
        }
        if (report->rows == 0) {
            return fail(ErrorId::CatalogBadTable,
                        "No row can be used; the first: " + report->firstBad,
                        path.string());
        }
    }
    return report;
}

} // namespace pathmark::catalog
