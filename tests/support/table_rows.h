#pragma once

#include <algorithm>
#include <cstdlib>
#include <map>
#include <optional>
#include <sstream>
#include <string>
#include <vector>

namespace pathmark::test_support {

/// Rows of a table as maps from column to text; `header` tells a line of column names.
using Row = std::map<std::string, std::string>;

inline std::vector<std::string> cut(const std::string& line, char at) {
    std::vector<std::string> parts;
    std::istringstream stream(line);
    for (std::string part; std::getline(stream, part, at);) {
        const auto first = part.find_first_not_of(' ');
        const auto last = part.find_last_not_of(' ');
        parts.push_back(first == std::string::npos ? "" : part.substr(first, last - first + 1));
    }
    return parts;
}

inline std::vector<Row>
rowsOf(const std::string& text, char separator, const std::string& headWord) {
    std::vector<Row> rows;
    std::vector<std::string> columns;
    std::istringstream stream(text);
    for (std::string line; std::getline(stream, line);) {
        if (line.empty() || line[0] == '#' || line[0] == '!') {
            continue;
        }
        const auto parts = cut(line, separator);
        if (std::find(parts.begin(), parts.end(), headWord) != parts.end()) {
            columns = parts;
            continue;
        }
        Row row;
        for (std::size_t i = 0; i < std::min(parts.size(), columns.size()); ++i) {
            row[columns[i]] = parts[i];
        }
        rows.push_back(std::move(row));
    }
    return rows;
}

inline std::optional<double> numberOf(const Row& row, const std::string& column) {
    const auto found = row.find(column);
    if (found == row.end() || found->second.empty()) {
        return std::nullopt;
    }
    return std::strtod(found->second.c_str(), nullptr);
}

inline std::string textOf(const Row& row, const std::string& column) {
    const auto found = row.find(column);
    return found == row.end() ? std::string() : found->second;
}

} // namespace pathmark::test_support
