#pragma once

#include <string>
#include <string_view>

namespace pathmark {

/// Bytes as text.
///
/// Source   RFC 4648, section 4
std::string toBase64(std::string_view bytes);

} // namespace pathmark
