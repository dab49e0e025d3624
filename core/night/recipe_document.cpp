#include "core/night/recipe_document.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace pathmark::night {

Error badRecipe(const std::filesystem::path& path, std::string detail) {
    return {ErrorId::NightBadRecipe, std::move(detail), path.string()};
}

namespace {

/// Names of people and places go into reports of fixed lines: no line break, no other control character.
std::string line(const char* section, const char* key, const Toml& value) {
    if (!value.isText()) {
        RecipeDocument::complain(section, key, value, "text in quotes");
    }
    std::string text = value.text();
    if (std::any_of(
            text.begin(), text.end(), [](unsigned char c) { return c < 0x20 || c == 0x7F; })) {
        RecipeDocument::complain(section, key, value, "text of one line");
    }
    return text;
}

} // namespace

const Toml* RecipeDocument::find(const char* section, const char* key) const {
    if (!root_.contains(section) || !root_.at(section).contains(key)) {
        return nullptr;
    }
    return &root_.at(section).at(key);
}

void RecipeDocument::complain(const char* section,
                              const char* key,
                              const Toml& value,
                              std::string_view must) {
    throw BadRecipeValue(
        fmt::format("[{}] {} (line {}) must be {}.", section, key, value.line(), must));
}

std::optional<double> RecipeDocument::number(const char* section, const char* key) const {
    const Toml* value = find(section, key);
    if (value == nullptr) {
        return std::nullopt;
    }
    if (!value->isNumber()) {
        complain(section, key, *value, "a number, without quotes");
    }
    const double number = value->number();
    if (!std::isfinite(number)) {
        complain(section, key, *value, "a number");
    }
    return number;
}

std::optional<double>
RecipeDocument::numberIn(const char* section, const char* key, double least, double most) const {
    const auto value = number(section, key);
    if (value && (*value < least || *value > most)) {
        complain(section,
                 key,
                 *find(section, key),
                 fmt::format("a number from {:g} to {:g}", least, most));
    }
    return value;
}

std::vector<double> RecipeDocument::numbersIn(
    const char* section, const char* key, const Toml& value, double least, double most) {
    const std::string must = fmt::format("a list of numbers from {:g} to {:g}", least, most);
    if (!value.isList()) {
        complain(section, key, value, must);
    }
    std::vector<double> numbers;
    for (const Toml& entry : value.list()) {
        if (!entry.isNumber() || !(entry.number() >= least && entry.number() <= most)) {
            complain(section, key, entry, must);
        }
        numbers.push_back(entry.number());
    }
    return numbers;
}

std::optional<double> RecipeDocument::positive(const char* section, const char* key) const {
    const auto value = number(section, key);
    if (value && !(*value > 0.0)) {
        complain(section, key, *find(section, key), "a number above 0");
    }
    return value;
}

std::optional<int> RecipeDocument::count(const char* section, const char* key, int most) const {
    const auto value = number(section, key);
    if (value && (*value < 0.0 || *value > most || *value != std::floor(*value))) {
        complain(
            section, key, *find(section, key), fmt::format("a whole number from 0 to {}", most));
    }
    return value ? std::optional(static_cast<int>(*value)) : std::nullopt;
}

std::string RecipeDocument::text(const char* section, const char* key) const {
    const Toml* value = find(section, key);
    return value == nullptr ? std::string() : line(section, key, *value);
}

std::vector<std::string> RecipeDocument::list(const char* section, const char* key) const {
    const Toml* value = find(section, key);
    if (value == nullptr) {
        return {};
    }
    if (value->isText()) {
        return {line(section, key, *value)};
    }
    if (!value->isList()) {
        complain(section, key, *value, "text in quotes, or a list of such texts");
    }
    std::vector<std::string> texts;
    for (const Toml& entry : value->list()) {
        texts.push_back(line(section, key, entry));
    }
    return texts;
}

bool RecipeDocument::flag(const char* section, const char* key, bool otherwise) const {
    const Toml* value = find(section, key);
    if (value != nullptr && !value->isFlag()) {
        complain(section, key, *value, "true or false, without quotes");
    }
    return value == nullptr ? otherwise : value->flag();
}

std::vector<Toml> RecipeDocument::tables(const char* section) const {
    if (!root_.contains(section)) {
        return {};
    }
    return root_.at(section).tables();
}

std::filesystem::path RecipeDocument::resolve(const std::string& text) const {
    const std::filesystem::path path(text);
    return path.is_absolute() || text.empty() ? path : folder_ / path;
}

} // namespace pathmark::night
