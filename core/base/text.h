#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace pathmark {

std::string_view trim(std::string_view text);
std::vector<std::string_view> split(std::string_view text, char separator);
/// Without the mark of the byte order that spreadsheets put in front of a table.
std::string_view withoutByteOrderMark(std::string_view text);
std::string toLower(std::string_view text);

/// The whole text as a number, blanks around it allowed; a decimal point whatever the locale.
std::optional<double> parseNumber(std::string_view text);
std::optional<long long> parseInteger(std::string_view text);

/// The word of `known` that is fewest edits (insert, delete, replace) away from `word`.
std::string nearestWord(std::string_view word, const std::vector<std::string>& known);

} // namespace pathmark
