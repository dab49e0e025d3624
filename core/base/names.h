#pragma once

#include <array>
#include <cstddef>
#include <optional>
#include <string_view>
#include <utility>

namespace pathmark {

/// The words that the values of an enumeration are written with.
template <typename Value, std::size_t N>
using Names = std::array<std::pair<Value, const char*>, N>;

/// The word of a value; `otherwise` for one that the table does not hold.
template <typename Value, std::size_t N>
const char* nameIn(const Names<Value, N>& names, Value value, const char* otherwise = "") {
    for (const auto& [known, text] : names) {
        if (known == value) {
            return text;
        }
    }
    return otherwise;
}

/// The value that a word stands for.
template <typename Value, std::size_t N>
std::optional<Value> valueNamed(const Names<Value, N>& names, std::string_view text) {
    for (const auto& [value, known] : names) {
        if (text == known) {
            return value;
        }
    }
    return std::nullopt;
}

} // namespace pathmark
