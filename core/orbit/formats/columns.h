#pragma once

#include "core/base/error.h"
#include "core/base/text.h"

#include <fmt/format.h>

#include <string_view>

namespace pathmark::orbit {

/// One field by its columns, counted from 1 as the formats do; without blanks around it.
inline std::string_view columns(std::string_view line, std::size_t first, std::size_t last) {
    return first > line.size() ? std::string_view()
                               : trim(line.substr(first - 1, last - first + 1));
}

inline Error
badColumn(std::string_view line, std::size_t first, std::size_t last, std::string_view what) {
    return {ErrorId::OrbitBadLine,
            fmt::format("columns {} to {} should hold the {}, not '{}'",
                        first,
                        last,
                        what,
                        columns(line, first, last)),
            {}};
}

} // namespace pathmark::orbit
