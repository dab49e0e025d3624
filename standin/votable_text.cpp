#include "standin/votable_text.h"

#include "core/base/text.h"

#include <fmt/format.h>

#include <bit>
#include <cstdint>

namespace pathmark::standin {
namespace {

constexpr const char* kHead =
    "<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n"
    "<VOTABLE version=\"1.4\" xmlns=\"http://www.ivoa.net/xml/VOTable/v1.3\">\n"
    "<RESOURCE type=\"results\">\n";
constexpr const char* kFoot = "</RESOURCE>\n</VOTABLE>\n";

bool isWhole(const std::string& column) {
    return column == "source_id";
}

std::string base64(const std::string& bytes) {
    static constexpr const char* letters =
        "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/";
    std::string text;
    for (std::size_t i = 0; i < bytes.size(); i += 3) {
        const auto byte = [&](std::size_t k) -> std::uint32_t {
            return i + k < bytes.size() ? static_cast<unsigned char>(bytes[i + k]) : 0U;
        };
        const std::uint32_t group = byte(0) << 16U | byte(1) << 8U | byte(2);
        for (unsigned k = 0; k < 4; ++k) {
            text += k <= bytes.size() - i ? letters[group >> (18U - 6U * k) & 63U] : '=';
        }
        if (i % 57 == 54) {
            text += '\n';
        }
    }
    return text;
}

void appendBig(std::string& bytes, std::uint64_t value) {
    for (int shift = 56; shift >= 0; shift -= 8) {
        bytes += static_cast<char>(value >> static_cast<unsigned>(shift) & 0xFFU);
    }
}

/// A BINARY2 row: one bit for each missing value, then eight bytes for each column.
void appendRow(std::string& bytes,
               const std::vector<std::string>& row,
               const std::vector<std::string>& columns,
               const std::vector<int>& places) {
    std::string nulls((places.size() + 7) / 8, '\0');
    std::string values;
    for (std::size_t c = 0; c < places.size(); ++c) {
        const std::string& cell = row[static_cast<std::size_t>(places[c])];
        if (cell.empty()) {
            nulls[c / 8] = static_cast<char>(nulls[c / 8] | (0x80 >> (c % 8)));
        }
        appendBig(values,
                  isWhole(columns[c])
                      ? static_cast<std::uint64_t>(parseInteger(cell).value_or(0))
                      : std::bit_cast<std::uint64_t>(parseNumber(cell).value_or(0.0)));
    }
    bytes += nulls + values;
}

} // namespace

std::string votableText(const StarRows& table,
                        const std::vector<std::string>& columns,
                        const std::vector<std::size_t>& rows,
                        Serialization serialization,
                        bool cutOff) {
    std::string text = kHead;
    text += "<INFO name=\"QUERY_STATUS\" value=\"OK\"/>\n<TABLE name=\"stars\">\n";
    std::vector<int> places;
    for (const std::string& column : columns) {
        places.push_back(table.column(column));
        text += "<FIELD name=\"" + column + "\" datatype=\"" +
                (isWhole(column) ? "long" : "double") + "\"/>\n";
    }
    text += "<DATA>\n";
    if (serialization == Serialization::TableData) {
        text += "<TABLEDATA>\n";
        for (const std::size_t row : rows) {
            text += "<TR>";
            for (const int place : places) {
                text += "<TD>" + table.rows[row][static_cast<std::size_t>(place)] + "</TD>";
            }
            text += "</TR>\n";
        }
        text += "</TABLEDATA>\n";
    } else {
        std::string bytes;
        for (const std::size_t row : rows) {
            appendRow(bytes, table.rows[row], columns, places);
        }
        text += "<BINARY2><STREAM encoding=\"base64\">" + base64(bytes) + "</STREAM></BINARY2>\n";
    }
    text += "</DATA>\n</TABLE>\n";
    if (cutOff) {
        text += "<INFO name=\"QUERY_STATUS\" value=\"OVERFLOW\"/>\n";
    }
    return text + kFoot;
}

std::string errorText(const std::string& problem) {
    return fmt::format(
        "{}<INFO name=\"QUERY_STATUS\" value=\"ERROR\">{}</INFO>\n{}", kHead, problem, kFoot);
}

} // namespace pathmark::standin
