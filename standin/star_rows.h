#pragma once

#include <cstdint>
#include <filesystem>
#include <string>
#include <vector>

namespace pathmark::standin {

/// A table of numbers as read from CSV: names of the columns and the cells as they stand (empty: no value).
struct StarRows {
    std::vector<std::string> columns;
    std::vector<std::vector<std::string>> rows;

    /// Index of a column; -1: there is none.
    [[nodiscard]] int column(const std::string& name) const;
};

/// Reads a plain CSV file; throws std::runtime_error where it cannot.
StarRows readRows(const std::filesystem::path& path);

/// Rows within `radiusDegrees` of a place, those fainter than `faintest` left out, `most` at the most.
struct Selection {
    double raDegrees = 0.0;
    double decDegrees = 0.0;
    double radiusDegrees = 0.0;
    double faintest = 99.0;
    std::size_t most = 1'000'000;
};

/// Indices of the rows chosen; `cutOff` says whether there were more.
std::vector<std::size_t> choose(const StarRows& table, const Selection& selection, bool& cutOff);

} // namespace pathmark::standin
