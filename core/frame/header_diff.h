#pragma once

#include "core/frame/fits_header.h"

#include <span>
#include <string>
#include <vector>

namespace pathmark::frame {

/// A keyword and what each header says under it; empty where it says nothing.
struct HeaderLine {
    std::string keyword;
    std::vector<std::string> values; ///< one per header
    bool differs = false;
};

/// All keywords of several headers in the order in which they first stand, comments and history left out.
std::vector<HeaderLine> compareHeaders(std::span<const Header> headers);

/// True where the text stands in keyword, value or comment, without regard to case.
bool cardHolds(const Card& card, std::string_view text);

} // namespace pathmark::frame
