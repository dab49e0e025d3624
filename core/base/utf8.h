#pragma once

#include <cstddef>
#include <string_view>

namespace pathmark {

/// Where the first sequence of bytes begins that is no UTF-8; npos: all of it is.
///
/// Source   The Unicode Standard, table 3-7: nothing in a longer form than it needs, no half pairs, nothing beyond the last plane.
std::size_t firstNotUtf8(std::string_view text);

} // namespace pathmark
