#include "core/catalog/csv_table.h"

#include "core/base/parallel.h"
#include "core/base/text.h"

#include <fmt/format.h>
#include <zlib.h>

#include <charconv>
#include <cmath>
#include <limits>
#include <memory>

namespace pathmark::catalog {
namespace {

constexpr std::size_t kBlock = 4U << 20U;
constexpr std::size_t kBlocksAtOnce = 4;

/// Whole lines of a plain or gzip file, a few megabytes at a time.
class BlockReader {
  public:
    explicit BlockReader(const std::filesystem::path& path)
        : file_(gzopen(path.c_str(), "rb"), &gzclose) {
        if (file_) {
            gzbuffer(file_.get(), 1U << 18U);
        }
    }

    [[nodiscard]] bool good() const { return file_ != nullptr; }

    /// Empty at the end.
    std::string next() {
        std::string block = std::move(rest_);
        rest_.clear();
        while (file_ && !atEnd_) {
            const std::size_t before = block.size();
            block.resize(before + kBlock);
            const int count =
                gzread(file_.get(), block.data() + before, static_cast<unsigned>(kBlock));
            block.resize(before + static_cast<std::size_t>(std::max(0, count)));
            atEnd_ = count < static_cast<int>(kBlock);
            const auto end = block.rfind('\n');
            if (!atEnd_ && end != std::string::npos) {
                rest_ = block.substr(end + 1);
                block.resize(end + 1);
                break;
            }
        }
        return block;
    }

    /// True where the stream ended in an error (a cut gzip file).
    [[nodiscard]] bool broken() const {
        int code = 0;
        gzerror(file_.get(), &code);
        return code != Z_OK && code != Z_STREAM_END;
    }

  private:
    std::unique_ptr<gzFile_s, int (*)(gzFile)> file_;
    std::string rest_;
    bool atEnd_ = false;
};

std::string_view unquoted(std::string_view text) {
    text = trim(text);
    if (text.size() >= 2 && text.front() == '"' && text.back() == '"') {
        text = text.substr(1, text.size() - 2);
    }
    return text;
}

/// NaN where it is no number.
double toNumber(std::string_view text) {
    text = unquoted(text);
    double value = std::numeric_limits<double>::quiet_NaN();
    const auto [end, problem] = std::from_chars(text.data(), text.data() + text.size(), value);
    return problem == std::errc() && end == text.data() + text.size()
               ? value
               : std::numeric_limits<double>::quiet_NaN();
}

/// Which column of the store each column of the table is; -1: none.
using Meaning = std::vector<int>;

Meaning meaningOf(const ColumnPlaces& places) {
    int last = 0;
    for (std::size_t i = 0; i < kStarColumns; ++i) {
        last = std::max(last, places.of(static_cast<StarColumn>(i)));
    }
    Meaning meaning(static_cast<std::size_t>(last) + 1, -1);
    for (std::size_t i = 0; i < kStarColumns; ++i) {
        if (const int place = places.of(static_cast<StarColumn>(i)); place >= 0) {
            meaning[static_cast<std::size_t>(place)] = static_cast<int>(i);
        }
    }
    return meaning;
}

RawRow parseLine(std::string_view line, const Meaning& meaning) {
    RawRow raw;
    raw.value.fill(std::numeric_limits<double>::quiet_NaN());
    std::size_t at = 0;
    for (std::size_t column = 0; column < meaning.size() && at <= line.size(); ++column) {
        const std::size_t end = std::min(line.find(',', at), line.size());
        if (meaning[column] >= 0) {
            const std::string_view field = line.substr(at, end - at);
            if (meaning[column] == static_cast<int>(StarColumn::SourceId)) {
                const auto text = unquoted(field);
                std::from_chars(text.data(), text.data() + text.size(), raw.sourceId);
            } else {
                raw.value[static_cast<std::size_t>(meaning[column])] = toNumber(field);
            }
        }
        at = end + 1;
    }
    return raw;
}

/// The rows of one block.
struct Parsed {
    std::vector<StarRow> rows;
    std::uint64_t lines = 0;
    std::uint64_t bad = 0;
    std::uint64_t declinationsOut = 0;
    std::uint64_t firstBadLine = 0; ///< within the block, from 0
    std::string firstBad;
};

Parsed parseBlock(std::string_view block, const Meaning& meaning) {
    Parsed parsed;
    parsed.rows.reserve(block.size() / 100);
    while (!block.empty()) {
        const std::size_t end = std::min(block.find('\n'), block.size());
        std::string_view line = block.substr(0, end);
        block.remove_prefix(std::min(block.size(), end + 1));
        if (line.ends_with('\r')) {
            line.remove_suffix(1);
        }
        const std::uint64_t number = parsed.lines++;
        if (trim(line).empty()) {
            continue;
        }
        const RawRow raw = parseLine(line, meaning);
        StarRow row;
        if (auto reason = checkRow(raw, row)) {
            if (parsed.bad++ == 0) {
                parsed.firstBadLine = number;
                parsed.firstBad = *std::move(reason);
            }
            parsed.declinationsOut +=
                std::abs(raw.value[static_cast<std::size_t>(StarColumn::Dec)]) > 90.0 ? 1U : 0U;
        } else {
            parsed.rows.push_back(row);
        }
    }
    return parsed;
}

} // namespace

Result<TableReport>
readCsvTable(const std::filesystem::path& path, const RowSink& sink, const std::stop_token& stop) {
    BlockReader reader(path);
    std::string block = reader.next();
    const std::size_t headEnd = block.find('\n');
    if (!reader.good() || headEnd == std::string::npos) {
        return fail(
            ErrorId::CatalogBadTable, "The file cannot be read or is empty.", path.string());
    }
    const std::string_view head = withoutByteOrderMark({block.data(), headEnd});
    ColumnPlaces places;
    const auto names = split(head, ',');
    for (std::size_t i = 0; i < names.size(); ++i) {
        places.offer(unquoted(trim(names[i])), static_cast<int>(i));
    }
    if (const auto missing = places.missing()) {
        return fail(ErrorId::CatalogBadTable,
                    fmt::format("The first line names no column '{}'; export the table with the "
                                "archive's column names.",
                                *missing),
                    path.string());
    }
    const Meaning meaning = meaningOf(places);
    block.erase(0, headEnd + 1);
    TableReport report;
    std::uint64_t line = 2;
    while (!block.empty()) {
        if (stop.stop_requested()) {
            return fail(ErrorId::BaseCancelled, "Stopped; the catalogue is as it was.");
        }
        std::vector<std::string> blocks;
        for (; !block.empty() && blocks.size() < kBlocksAtOnce; block = reader.next()) {
            blocks.push_back(std::move(block));
        }
        std::vector<Parsed> parsed(blocks.size());
        parallelFor(blocks.size(),
                    [&](std::size_t i) { parsed[i] = parseBlock(blocks[i], meaning); });
        for (const Parsed& one : parsed) {
            if (one.bad > 0 && report.badRows == 0) {
                report.firstBad = fmt::format("line {}: {}", line + one.firstBadLine, one.firstBad);
            }
            report.rows += one.rows.size();
            report.badRows += one.bad;
            report.declinationsOut += one.declinationsOut;
            line += one.lines;
            if (auto taken = sink(one.rows); !taken) {
                return fail(taken.error());
            }
        }
    }
    if (reader.broken()) {
        return fail(ErrorId::CatalogBadTable,
                    "The compressed file is cut short or damaged; fetch it again.",
                    path.string());
    }
    return report;
}

} // namespace pathmark::catalog
