#include "core/catalog/csv_import.h"

#include "core/base/text.h"

#include <fmt/format.h>
#include <zlib.h>

#include <array>
#include <limits>
#include <memory>
#include <string_view>

namespace pathmark::catalog {
namespace {

enum Column : std::size_t {
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
    ColumnCount
};

constexpr std::array<std::string_view, ColumnCount> kColumnNames{"source_id",
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

using ColumnPlaces = std::array<int, ColumnCount>;

/// Lines of a plain or gzip file.
class LineReader {
  public:
    explicit LineReader(const std::filesystem::path& path)
        : file_(gzopen(path.c_str(), "rb"), &gzclose) {
        if (file_) {
            gzbuffer(file_.get(), 1U << 18U);
        }
    }

    [[nodiscard]] bool good() const { return file_ != nullptr; }

    bool next(std::string& line) {
        line.clear();
        std::array<char, 4096> block{};
        while (gzgets(file_.get(), block.data(), static_cast<int>(block.size())) != nullptr) {
            line += block.data();
            if (line.back() == '\n') {
                line.pop_back();
                if (!line.empty() && line.back() == '\r') {
                    line.pop_back();
                }
                return true;
            }
        }
        return !line.empty();
    }

    /// True where the stream ended in an error (a cut gzip file).
    [[nodiscard]] bool broken() const {
        int code = 0;
        gzerror(file_.get(), &code);
        return code != Z_OK && code != Z_STREAM_END;
    }

  private:
    std::unique_ptr<gzFile_s, int (*)(gzFile)> file_;
};

std::string_view unquoted(std::string_view text) {
    text = trim(text);
    if (text.size() >= 2 && text.front() == '"' && text.back() == '"') {
        text = text.substr(1, text.size() - 2);
    }
    return text;
}

ColumnPlaces findColumns(std::string_view head) {
    ColumnPlaces places;
    places.fill(-1);
    const auto names = split(head, ',');
    for (std::size_t i = 0; i < names.size(); ++i) {
        const std::string word = toLower(unquoted(names[i]));
        for (std::size_t column = 0; column < ColumnCount; ++column) {
            if (word == kColumnNames[column]) {
                places[column] = static_cast<int>(i);
            }
        }
    }
    return places;
}

/// One row, or the reason why it is bad.
Result<StarRow> parseRow(const std::vector<std::string_view>& fields, const ColumnPlaces& places) {
    const auto number = [&](Column column) -> std::optional<double> {
        const int place = places[column];
        if (place < 0 || static_cast<std::size_t>(place) >= fields.size()) {
            return std::nullopt;
        }
        return parseNumber(unquoted(fields[static_cast<std::size_t>(place)]));
    };
    const auto real = [&](Column column) {
        return static_cast<float>(
            number(column).value_or(std::numeric_limits<double>::quiet_NaN()));
    };
    const auto ra = number(Ra);
    const auto dec = number(Dec);
    const auto magG = number(MagG);
    if (!ra || !dec || !magG) {
        return fail(ErrorId::CatalogBadTable, "ra, dec or phot_g_mean_mag is not a number");
    }
    if (!(*ra >= 0.0 && *ra < 360.0 && *dec >= -90.0 && *dec <= 90.0 && *magG > -5.0 &&
          *magG < 40.0)) {
        return fail(ErrorId::CatalogBadTable, "ra, dec or phot_g_mean_mag is out of range");
    }
    StarRow row;
    row.raDegrees = *ra;
    row.decDegrees = *dec;
    if (places[SourceId] >= 0 && static_cast<std::size_t>(places[SourceId]) < fields.size()) {
        row.sourceId =
            parseInteger(unquoted(fields[static_cast<std::size_t>(places[SourceId])])).value_or(0);
    }
    row.raErrorMas = real(RaError);
    row.decErrorMas = real(DecError);
    row.parallaxMas = real(Parallax);
    row.pmRaMasPerYear = real(PmRa);
    row.pmDecMasPerYear = real(PmDec);
    row.magG = static_cast<float>(*magG);
    row.magBp = real(MagBp);
    row.magRp = real(MagRp);
    row.ruwe = real(Ruwe);
    row.refEpoch = static_cast<float>(number(RefEpoch).value_or(2016.0));
    return row;
}

} // namespace

Result<ImportedRows> readGaiaCsv(const std::filesystem::path& path) {
    LineReader reader(path);
    std::string line;
    if (!reader.good() || !reader.next(line)) {
        return fail(
            ErrorId::CatalogBadTable, "The file cannot be read or is empty.", path.string());
    }
    if (line.starts_with("\xEF\xBB\xBF")) {
        line.erase(0, 3);
    }
    const ColumnPlaces places = findColumns(line);
    for (const Column needed : {Ra, Dec, MagG}) {
        if (places[needed] < 0) {
            return fail(
                ErrorId::CatalogBadTable,
                fmt::format("The first line names no column '{}'; export the table as CSV with "
                            "the archive's column names.",
                            kColumnNames[needed]),
                path.string());
        }
    }
    ImportedRows result;
    std::uint64_t number = 1;
    while (reader.next(line)) {
        ++number;
        if (trim(line).empty()) {
            continue;
        }
        const auto row = parseRow(split(line, ','), places);
        if (row) {
            result.rows.push_back(*row);
        } else if (result.badRows++ == 0) {
            result.firstBad = fmt::format("line {}: {}", number, row.error().detail);
        }
    }
    if (reader.broken()) {
        return fail(ErrorId::CatalogBadTable,
                    "The compressed file is cut short or damaged; fetch it again.",
                    path.string());
    }
    return result;
}

} // namespace pathmark::catalog
