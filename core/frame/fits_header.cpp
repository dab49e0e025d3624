#include "core/frame/fits_header.h"

#include "core/base/text.h"

#include <fmt/format.h>

#include <algorithm>

namespace pathmark::frame {

const Card* Header::find(std::string_view keyword) const {
    // The last of several wins: software that appends its own values means those.
    for (auto card = cards_.rbegin(); card != cards_.rend(); ++card) {
        if (card->keyword == keyword) {
            return &*card;
        }
    }
    return nullptr;
}

void Header::set(std::string_view keyword,
                 std::variant<std::string, double, long long, bool> value,
                 std::string_view comment) {
    for (Card& card : cards_) {
        if (card.keyword == keyword) {
            card.value = std::move(value);
            card.comment = comment;
            return;
        }
    }
    add({std::string(keyword), std::move(value), std::string(comment)});
}

void Header::remove(std::string_view keyword) {
    std::erase_if(cards_, [&](const Card& card) { return card.keyword == keyword; });
}

std::optional<double> Header::number(std::string_view keyword) const {
    const Card* card = find(keyword);
    if (card == nullptr) {
        return std::nullopt;
    }
    if (const auto* real = std::get_if<double>(&card->value)) {
        return *real;
    }
    if (const auto* whole = std::get_if<long long>(&card->value)) {
        return static_cast<double>(*whole);
    }
    if (const auto* words = std::get_if<std::string>(&card->value)) {
        return parseNumber(*words);
    }
    return std::nullopt;
}

std::string cardText(const Card& card) {
    if (const auto* words = std::get_if<std::string>(&card.value)) {
        return std::string(trim(*words));
    }
    if (const auto* real = std::get_if<double>(&card.value)) {
        return fmt::format("{}", *real);
    }
    if (const auto* whole = std::get_if<long long>(&card.value)) {
        return fmt::format("{}", *whole);
    }
    return std::get<bool>(card.value) ? "T" : "F";
}

std::optional<std::string> Header::text(std::string_view keyword) const {
    const Card* card = find(keyword);
    if (card == nullptr) {
        return std::nullopt;
    }
    const std::string result = cardText(*card);
    return result.empty() ? std::nullopt : std::optional(result);
}

bool isOwnResult(const Header& header) {
    return header.find(kResultKeyword) != nullptr;
}

} // namespace pathmark::frame
