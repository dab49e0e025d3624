#include "core/frame/derive_values.h"

#include "core/base/text.h"

#include <fmt/format.h>

#include <map>

namespace pathmark::frame {
namespace {

/// A number at the start of a text: "1000 mm", "-10.0C", "2x2".
std::optional<double> leadingNumber(std::string_view text) {
    const std::string_view words = trim(text);
    const std::size_t end = words.find_first_not_of("+-.0123456789eE");
    if (end == 0) {
        return std::nullopt;
    }
    std::string_view digits = words.substr(0, end);
    while (!digits.empty() && (digits.back() == 'e' || digits.back() == 'E')) {
        digits.remove_suffix(1);
    }
    return parseNumber(digits);
}

} // namespace

double inSectionUnit(double value, const std::string& unit) {
    static const std::map<std::string, double> factors{
        {"ms", 1e-3}, {"us", 1e-6}, {"min", 60.0}, {"m", 1e3}, {"mm", 1e3}};
    if (unit == "K") {
        return value - 273.15;
    }
    const auto factor = factors.find(unit);
    return factor == factors.end() ? value : value * factor->second;
}

std::optional<FoundText> ValueFinder::text(const std::string& section) const {
    for (const KeywordRule& rule : table_.keywords(section)) {
        if (auto value = header_.text(rule.keyword)) {
            return FoundText{rule.keyword, *value};
        }
    }
    return std::nullopt;
}

std::optional<FoundNumber> ValueFinder::number(const std::string& section) const {
    for (const KeywordRule& rule : table_.keywords(section)) {
        const auto words = header_.text(rule.keyword);
        if (!words) {
            continue;
        }
        if (const auto value = leadingNumber(*words)) {
            return FoundNumber{rule.keyword, inSectionUnit(*value, rule.unit)};
        }
    }
    return std::nullopt;
}

std::optional<double>
ValueFinder::take(const std::string& section, const std::string& what, const std::string& unit) {
    const auto found = number(section);
    if (!found) {
        return std::nullopt;
    }
    remember(what,
             unit.empty() ? fmt::format("{:g}", found->value)
                          : fmt::format("{:g} {}", found->value, unit),
             found->keyword);
    return found->value;
}

std::string ValueFinder::takeText(const std::string& section, const std::string& what) {
    const auto found = text(section);
    if (!found) {
        return {};
    }
    remember(what, found->value, found->keyword);
    return found->value;
}

std::string ValueFinder::comment(const std::string& keyword) const {
    const Card* card = header_.find(keyword);
    return card == nullptr ? std::string() : toLower(card->comment);
}

} // namespace pathmark::frame
