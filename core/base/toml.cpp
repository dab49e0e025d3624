#include "core/base/toml.h"

#include "core/base/text.h"
#include "core/base/utf8.h"

#include <fmt/format.h>
#include <toml.hpp>

#include <algorithm>
#include <limits>
#include <optional>
#include <sstream>

namespace pathmark {
namespace {

/// What the library says is wrong, without the picture of the line that it adds.
std::string problem(const std::exception& error) {
    std::string text = error.what();
    text.erase(std::min(text.size(), text.find("\n --> ")));
    // "[error] toml::function: words.": the library's own names say nothing to an observer.
    if (const auto function = text.find("toml::"); function != std::string::npos) {
        if (const auto words = text.find(": ", function); words != std::string::npos) {
            text.erase(0, words + 2);
        }
    }
    while (text.ends_with('.')) {
        text.pop_back();
    }
    return text;
}

} // namespace

/// Takes the library's values over.
struct TomlReader {
    static Toml taken(const toml::value& value) {
        Toml result;
        result.line_ = static_cast<int>(value.location().line());
        switch (value.type()) {
        case toml::value_t::table:
            for (const auto& [key, entry] : value.as_table()) {
                result.table_.emplace(key, taken(entry));
            }
            break;
        case toml::value_t::array:
            result.kind_ = Toml::Kind::List;
            for (const toml::value& entry : value.as_array()) {
                result.list_.push_back(taken(entry));
            }
            break;
        case toml::value_t::string:
            result.kind_ = Toml::Kind::Text;
            result.text_ = value.as_string().str;
            break;
        case toml::value_t::integer:
            result.kind_ = Toml::Kind::Whole;
            result.whole_ = value.as_integer();
            break;
        case toml::value_t::floating:
            result.kind_ = Toml::Kind::Number;
            result.number_ = value.as_floating();
            break;
        case toml::value_t::boolean:
            result.kind_ = Toml::Kind::Flag;
            result.flag_ = value.as_boolean();
            break;
        default: result.kind_ = Toml::Kind::Other; break; // dates: nothing here is written as one
        }
        return result;
    }
};

namespace {

/// The line of the first byte that TOML does not allow: it is text in UTF-8 without control characters. The library that reads it
/// trusts in that.
std::optional<int> lineOfBadByte(const std::string& text) {
    const auto control = std::find_if(text.begin(), text.end(), [](unsigned char c) {
        return (c < 0x20 && c != '\t' && c != '\n' && c != '\r') || c == 0x7f;
    });
    const std::size_t bad =
        std::min(static_cast<std::size_t>(control - text.begin()), firstNotUtf8(text));
    if (bad >= text.size()) {
        return std::nullopt;
    }
    return 1 + static_cast<int>(
                   std::count(text.begin(), text.begin() + static_cast<std::ptrdiff_t>(bad), '\n'));
}

} // namespace

Toml Toml::parse(const std::string& text, const std::string& name) {
    if (const auto line = lineOfBadByte(text)) {
        throw TomlError("a byte that is no text in UTF-8", *line, true);
    }
    try {
        std::istringstream stream(text);
        return TomlReader::taken(toml::parse(stream, name));
    } catch (const toml::syntax_error& error) {
        throw TomlError(problem(error), static_cast<int>(error.location().line()), true);
    } catch (const std::exception& error) {
        throw TomlError(problem(error), 0);
    }
}

void Toml::expect(Kind kind, const char* words) const {
    if (kind_ != kind) {
        throw TomlError(fmt::format("line {} should be {}", line_, words), line_);
    }
}

const std::string& Toml::text() const {
    expect(Kind::Text, "text in quotes");
    return text_;
}

double Toml::number() const {
    if (isWhole()) {
        return static_cast<double>(whole_);
    }
    expect(Kind::Number, "a number");
    return number_;
}

int Toml::whole() const {
    expect(Kind::Whole, "a whole number");
    if (whole_ < std::numeric_limits<int>::min() || whole_ > std::numeric_limits<int>::max()) {
        throw TomlError(fmt::format("the number in line {} is too large", line_), line_);
    }
    return static_cast<int>(whole_);
}

bool Toml::flag() const {
    expect(Kind::Flag, "true or false");
    return flag_;
}

const std::vector<Toml>& Toml::list() const {
    expect(Kind::List, "a list");
    return list_;
}

std::vector<std::string> Toml::texts() const {
    std::vector<std::string> texts;
    for (const Toml& entry : list()) {
        texts.push_back(entry.text());
    }
    return texts;
}

const std::map<std::string, Toml>& Toml::table() const {
    expect(Kind::Table, "a section");
    return table_;
}

const Toml* Toml::find(const std::string& key) const {
    const auto known = table_.find(key);
    return known != table_.end() ? &known->second : nullptr;
}

const Toml& Toml::at(const std::string& key) const {
    const Toml* value = find(key);
    if (value == nullptr) {
        throw TomlError(fmt::format("the section in line {} has no '{}'", line_, key), line_);
    }
    return *value;
}

std::vector<Toml> Toml::tables() const {
    return isList() ? list_ : std::vector<Toml>{*this};
}

std::string tomlText(const std::string& text) {
    std::string safe = "\"";
    for (const char c : text) {
        if (c == '"' || c == '\\') {
            safe += '\\';
            safe += c;
        } else if (static_cast<unsigned char>(c) < 0x20 || c == 0x7F) {
            safe += fmt::format("\\u{:04X}", static_cast<unsigned char>(c));
        } else {
            safe += c;
        }
    }
    return safe + "\"";
}

std::optional<std::string> unknownTomlKey(const Toml& section,
                                          const std::string& name,
                                          const std::vector<std::string>& known) {
    for (const Toml& table : section.tables()) {
        for (const auto& entry : table.table()) {
            if (std::find(known.begin(), known.end(), entry.first) == known.end()) {
                return fmt::format("There is no key '{}' in [{}]; did you mean '{}'?",
                                   entry.first,
                                   name,
                                   nearestWord(entry.first, known));
            }
        }
    }
    return std::nullopt;
}

} // namespace pathmark
