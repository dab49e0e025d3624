#pragma once

#include <string>
#include <string_view>
#include <vector>

namespace pathmark {

/// A field of a CSV line, in quotes where it needs them.
///
/// Source   RFC 4180.
std::string csvField(std::string text);

/// The fields of a line, out of their quotes and without blanks around those that had none.
///
/// Source   RFC 4180.
std::vector<std::string> csvFields(std::string_view line);

} // namespace pathmark
