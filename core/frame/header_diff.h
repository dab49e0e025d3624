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

/// A value and the headers that have it, as indices.
struct SharedValue {
    std::string value;
    std::vector<std::size_t> headers;
};

/// The values of a line, the commonest first; so the last ones say which frames differ.
std::vector<SharedValue> sharedValues(const HeaderLine& line);

/// True where the text stands in keyword, value or comment, without regard to case.
bool cardHolds(const Card& card, std::string_view text);

} // namespace pathmark::frame
