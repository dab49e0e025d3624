#include "core/catalog/fits_table.h"

#include "core/base/fits_library.h"

#include <fitsio.h>
#include <fmt/format.h>

#include <cmath>
#include <limits>
#include <memory>

namespace pathmark::catalog {
namespace {

constexpr long kRowsAtOnce = 50'000;

struct CloseFits {
    void operator()(fitsfile* file) const {
        int status = 0;
        fits_close_file(file, &status);
    }
};

using FitsHandle = std::unique_ptr<fitsfile, CloseFits>;

tl::unexpected<Error> unreadable(int status, const std::filesystem::path& path) {
    std::array<char, FLEN_STATUS> words{};
    fits_get_errstatus(status, words.data());
    fits_clear_errmsg();
    return fail(ErrorId::CatalogBadTable,
                fmt::format("The FITS table cannot be read ({}); fetch it again.", words.data()),
                path.string());
}

/// Moves to the first table with the needed columns.
std::optional<ColumnPlaces> findTable(fitsfile* file) {
    int count = 0;
    int status = 0;
    fits_get_num_hdus(file, &count, &status);
    for (int hdu = 2; hdu <= count && status == 0; ++hdu) {
        int type = 0;
        fits_movabs_hdu(file, hdu, &type, &status);
        if (status != 0 || (type != BINARY_TBL && type != ASCII_TBL)) {
            continue;
        }
        int columns = 0;
        fits_get_num_cols(file, &columns, &status);
        ColumnPlaces places;
        for (int c = 1; c <= columns; ++c) {
            std::array<char, FLEN_VALUE> word{};
            int keyStatus = 0;
            fits_read_key(
                file, TSTRING, fmt::format("TTYPE{}", c).c_str(), word.data(), nullptr, &keyStatus);
            if (keyStatus == 0) {
                places.offer(word.data(), c);
            }
        }
        if (!places.missing()) {
            return places;
        }
    }
    return std::nullopt;
}

} // namespace

Result<TableReport>
readFitsTable(const std::filesystem::path& path, const RowSink& sink, const std::stop_token& stop) {
    fitsfile* raw = nullptr;
    int status = 0;
    readyFitsLibrary();
    fits_open_diskfile(&raw, path.c_str(), READONLY, &status);
    if (status != 0) {
        return unreadable(status, path);
    }
    const FitsHandle file(raw);
    const auto places = findTable(raw);
    if (!places) {
        return fail(
            ErrorId::CatalogBadTable,
            "No table of the file has the columns ra, dec and phot_g_mean_mag; export it with "
            "the archive's column names.",
            path.string());
    }
    long rows = 0;
    fits_get_num_rows(raw, &rows, &status);
    TableReport report;
    std::array<std::vector<double>, kStarColumns> columns;
    std::vector<LONGLONG> ids;
    for (long first = 1; first <= rows && status == 0; first += kRowsAtOnce) {
        if (stop.stop_requested()) {
            return fail(ErrorId::BaseCancelled, "Stopped; the catalogue is as it was.");
        }
        const long count = std::min(kRowsAtOnce, rows - first + 1);
        const auto size = static_cast<std::size_t>(count);
        ids.assign(size, 0);
        for (std::size_t c = 0; c < kStarColumns; ++c) {
            const int place = places->of(static_cast<StarColumn>(c));
            int hasNulls = 0;
            double nothing = std::numeric_limits<double>::quiet_NaN();
            columns[c].assign(size, nothing);
            if (place < 0) {
                continue;
            }
            if (static_cast<StarColumn>(c) == StarColumn::SourceId) {
                fits_read_col(raw,
                              TLONGLONG,
                              place,
                              first,
                              1,
                              count,
                              nullptr,
                              ids.data(),
                              &hasNulls,
                              &status);
            } else {
                fits_read_col(raw,
                              TDOUBLE,
                              place,
                              first,
                              1,
                              count,
                              &nothing,
                              columns[c].data(),
                              &hasNulls,
                              &status);
            }
        }
        if (status != 0) {
            break;
        }
        std::vector<StarRow> good;
        good.reserve(size);
        for (std::size_t i = 0; i < size; ++i) {
            RawRow row;
            for (std::size_t c = 0; c < kStarColumns; ++c) {
                row.value[c] = columns[c][i];
            }
            row.sourceId = ids[i];
            StarRow star;
            if (auto reason = checkRow(row, star)) {
                countBad(report, row, *reason, [&] {
                    return fmt::format("row {}", first + static_cast<long>(i));
                });
            } else {
                good.push_back(star);
            }
        }
        report.rows += good.size();
        if (auto taken = sink(good); !taken) {
            return fail(taken.error());
        }
    }
    if (status != 0) {
        return unreadable(status, path);
    }
    return report;
}

} // namespace pathmark::catalog
