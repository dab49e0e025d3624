#include "core/base/text.h"
#include "core/identify/archive_table.h"

#include <fmt/format.h>
#include <pugixml.hpp>

#include <algorithm>
#include <map>

namespace pathmark::identify {
namespace {

/// Names of the columns, then the cells row by row.
struct Cells {
    std::vector<std::string> names;
    std::vector<std::vector<std::string>> rows;
};

tl::unexpected<Error> bad(const std::string& what) {
    return fail(ErrorId::IdentifyBadArchive,
                what + " A list of an archive is made by 'pathmark archive --csv' or --votable.");
}

/// RFC 4180: quoted cells may hold commas, quotes doubled, and line ends.
Cells parseCsv(std::string_view text) {
    Cells cells;
    std::vector<std::string> row;
    std::string cell;
    bool quoted = false;
    const auto endRow = [&] {
        row.push_back(std::move(cell));
        cell.clear();
        if (row.size() > 1 || !row.front().empty()) {
            if (cells.names.empty()) {
                cells.names = row;
            } else {
                cells.rows.push_back(row);
            }
        }
        row.clear();
    };
    for (std::size_t i = 0; i < text.size(); ++i) {
        const char c = text[i];
        if (quoted) {
            if (c == '"' && i + 1 < text.size() && text[i + 1] == '"') {
                cell += '"';
                ++i;
            } else if (c == '"') {
                quoted = false;
            } else {
                cell += c;
            }
        } else if (c == '"') {
            quoted = true;
        } else if (c == ',') {
            row.push_back(std::move(cell));
            cell.clear();
        } else if (c == '\n') {
            endRow();
        } else if (c != '\r') {
            cell += c;
        }
    }
    if (!cell.empty() || !row.empty()) {
        endRow();
    }
    return cells;
}

Result<Cells> parseVoTable(std::string_view text) {
    pugi::xml_document document;
    if (const auto parsed = document.load_buffer(text.data(), text.size()); !parsed) {
        return bad(
            fmt::format("The XML breaks off at byte {}: {}.", parsed.offset, parsed.description()));
    }
    Cells cells;
    const auto table = document.child("VOTABLE").child("RESOURCE").child("TABLE");
    for (const auto& field : table.children("FIELD")) {
        cells.names.emplace_back(field.attribute("name").value());
    }
    for (const auto& line : table.child("DATA").child("TABLEDATA").children("TR")) {
        std::vector<std::string> row;
        for (const auto& cell : line.children("TD")) {
            row.emplace_back(cell.text().get());
        }
        cells.rows.push_back(std::move(row));
    }
    return cells;
}

/// One row's cells by the name of their column; what is wrong is remembered.
class RowReader {
  public:
    RowReader(const std::map<std::string, std::size_t>& columns,
              const std::vector<std::string>& row)
        : columns_(columns), row_(row) {}

    [[nodiscard]] const std::string& text(const char* name) const {
        return row_[columns_.at(name)];
    }

    double number(const char* name) {
        const auto value = parseNumber(text(name));
        wrong_ = !value && wrong_.empty() ? name : wrong_;
        return value.value_or(0.0);
    }

    [[nodiscard]] std::optional<double> maybe(const char* name) const {
        return parseNumber(text(name));
    }

    void setWrong(const char* name) { wrong_ = name; }

    [[nodiscard]] const std::string& wrong() const { return wrong_; }

  private:
    const std::map<std::string, std::size_t>& columns_;
    const std::vector<std::string>& row_;
    std::string wrong_;
};

ArchiveRow rowFrom(RowReader& reader) {
    ArchiveRow row;
    row.body = reader.text("body");
    row.file = reader.text("file");
    if (const auto time = parseUtc(reader.text("mid_time"))) {
        row.middle = *time;
    } else {
        reader.setWrong("mid_time");
    }
    row.sky = skyDegrees(reader.number("ra"), reader.number("dec"));
    row.x = reader.number("x");
    row.y = reader.number("y");
    row.rateArcsecPerMin = reader.number("rate");
    row.positionAngleDegrees = reader.number("position_angle");
    row.magnitude = reader.maybe("mag");
    row.limitingMagnitude = reader.maybe("limiting_mag");
    row.distanceAu = reader.number("distance");
    return row;
}

} // namespace

Result<std::vector<ArchiveRow>> parseArchiveTable(std::string_view text) {
    const auto first = text.find_first_not_of(" \t\r\n\xEF\xBB\xBF");
    Result<Cells> cells = first != std::string_view::npos && text[first] == '<'
                              ? parseVoTable(text)
                              : Result<Cells>(parseCsv(text));
    if (!cells) {
        return fail(cells.error());
    }
    std::map<std::string, std::size_t> columns;
    for (std::size_t i = 0; i < cells->names.size(); ++i) {
        columns[cells->names[i]] = i;
    }
    for (const char* name : {"body",
                             "file",
                             "mid_time",
                             "ra",
                             "dec",
                             "x",
                             "y",
                             "rate",
                             "position_angle",
                             "mag",
                             "limiting_mag",
                             "distance"}) {
        if (!columns.contains(name)) {
            return bad(fmt::format("There is no column '{}'.", name));
        }
    }
    std::vector<ArchiveRow> rows;
    for (std::size_t i = 0; i < cells->rows.size(); ++i) {
        if (cells->rows[i].size() != cells->names.size()) {
            return bad(fmt::format("Row {} has {} cells in place of {}.",
                                   i + 1,
                                   cells->rows[i].size(),
                                   cells->names.size()));
        }
        RowReader reader(columns, cells->rows[i]);
        rows.push_back(rowFrom(reader));
        if (!reader.wrong().empty()) {
            return bad(fmt::format("Row {}, column '{}' cannot be read.", i + 1, reader.wrong()));
        }
    }
    return rows;
}

} // namespace pathmark::identify
