#include "core/orbit/body_id.h"

#include "core/base/text.h"
#include "core/orbit/formats/designation.h"

#include <algorithm>
#include <cctype>

namespace pathmark::orbit {
namespace {

bool isDigit(char c) {
    return std::isdigit(static_cast<unsigned char>(c)) != 0;
}

/// One blank where there were several.
std::string squeezed(std::string_view text) {
    std::string result;
    for (const char c : trim(text)) {
        const bool blank = std::isspace(static_cast<unsigned char>(c)) != 0;
        if (!blank || (!result.empty() && result.back() != ' ')) {
            result += blank ? ' ' : c;
        }
    }
    return result;
}

/// "(433) Name" or "433" to "(433)"; empty for anything else.
std::string numbered(const std::string& text) {
    const bool bracket = text.front() == '(';
    const std::size_t first = bracket ? 1 : 0;
    const auto end = text.find_first_not_of("0123456789", first);
    if (end == first) {
        return {};
    }
    if (bracket) {
        const bool closed = end != std::string::npos && text[end] == ')';
        return closed ? "(" + text.substr(1, end - 1) + ")" : std::string();
    }
    return end == std::string::npos ? "(" + text + ")" : std::string();
}

/// "C/2033 T4 (Name)" to "C/2033 T4", "29P/Name" to "29P"; empty for anything else.
std::string comet(const std::string& text) {
    if (text.size() > 2 && text[1] == '/' && std::isupper(static_cast<unsigned char>(text[0]))) {
        const std::size_t bracket = text.find(" (");
        return text.substr(0, bracket);
    }
    const auto end = text.find_first_not_of("0123456789");
    if (end == 0 || end == std::string::npos || (text[end] != 'P' && text[end] != 'D')) {
        return {};
    }
    // A fragment belongs to the designation: "73P-C".
    std::size_t stop = end + 1;
    if (stop < text.size() && text[stop] == '-') {
        ++stop;
        while (stop < text.size() && std::isupper(static_cast<unsigned char>(text[stop]))) {
            ++stop;
        }
    }
    const bool whole = stop == text.size() || text[stop] == '/' || text[stop] == ' ';
    const std::size_t zeros = text.find_first_not_of('0');
    return whole ? text.substr(zeros, stop - zeros) : std::string();
}

} // namespace

BodyId BodyId::of(std::string_view name) {
    BodyId id;
    id.text_ = squeezed(name);
    if (id.text_.empty()) {
        return id;
    }
    for (std::string known : {numbered(id.text_), comet(id.text_)}) {
        if (!known.empty()) {
            id.text_ = std::move(known);
            return id;
        }
    }
    // "2034 EW2" has a blank, a packed form none; an observer's own name is no packed designation unless it looks so.
    const bool provisional =
        id.text_.size() >= 7 && std::all_of(id.text_.begin(), id.text_.begin() + 4, isDigit);
    if (!provisional) {
        if (const auto readable = unpackDesignation(id.text_)) {
            id.text_ = *readable;
        }
    }
    return id;
}

} // namespace pathmark::orbit
