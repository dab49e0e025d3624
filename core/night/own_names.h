#pragma once

#include "core/base/time.h"

#include <fmt/format.h>

#include <string>
#include <string_view>

namespace pathmark::night {

inline constexpr std::string_view kOwnDigits = "0123456789ABCDEFGHIJKLMNOPQRSTUVWXYZ";

/// "c031701": the kind of a candidate, month, day and a number; seven characters, so that it fits an 80-column line and an ADES trkSub.
inline std::string ownName(char kind, const Utc& night, std::size_t tens, std::size_t ones) {
    const std::string date = toIso(night, 0); // yyyy-mm-dd...
    return fmt::format("{}{}{}{}{}",
                       kind,
                       date.substr(5, 2),
                       date.substr(8, 2),
                       kOwnDigits[tens],
                       kOwnDigits[ones]);
}

} // namespace pathmark::night
