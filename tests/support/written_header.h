#pragma once

#include "core/frame/fits_header.h"

#include <string>
#include <variant>
#include <vector>

namespace pathmark::frame {

using Value = std::variant<std::string, double, long long, bool>;

/// One header as somebody writes it: "KEY=value" or "KEY=value/comment"; a value in quotes is a text.
inline Header headerOf(const std::vector<std::string>& cards) {
    Header header;
    for (const std::string& text : cards) {
        const std::size_t equals = text.find('=');
        std::string value = text.substr(equals + 1);
        std::string comment;
        if (const std::size_t slash = value.find(" / "); slash != std::string::npos) {
            comment = value.substr(slash + 3);
            value.resize(slash);
        }
        Value parsed = value;
        if (value.front() == '\'') {
            parsed = value.substr(1, value.size() - 2);
        } else if (value == "T" || value == "F") {
            parsed = value == "T";
        } else if (value.find_first_of(".eE") == std::string::npos) {
            parsed = std::stoll(value);
        } else {
            parsed = std::stod(value);
        }
        header.add({text.substr(0, equals), parsed, comment});
    }
    return header;
}

} // namespace pathmark::frame
