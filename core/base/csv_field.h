#pragma once

#include <string>

namespace pathmark {

/// A field of a CSV line, in quotes where it needs them.
///
/// Source   RFC 4180.
std::string csvField(std::string text);

} // namespace pathmark
