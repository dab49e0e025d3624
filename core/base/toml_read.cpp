#include "core/base/toml_read.h"

#include "core/base/text.h"

#include <fmt/format.h>

#include <algorithm>

namespace pathmark {

double tomlNumber(const toml::value& value) {
    return value.is_integer() ? static_cast<double>(value.as_integer()) : toml::get<double>(value);
}

std::string tomlProblem(const std::exception& error) {
    std::string text = error.what();
    text.resize(std::min(text.size(), text.find("\n --> ")));
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

std::vector<toml::value> tomlTables(const toml::value& section) {
    if (!section.is_array()) {
        return {section};
    }
    const auto& list = section.as_array();
    return {list.begin(), list.end()};
}

std::optional<std::string> unknownTomlKey(const toml::value& section,
                                          const std::string& name,
                                          const std::vector<std::string>& known) {
    for (const toml::value& table : tomlTables(section)) {
        for (const auto& entry : table.as_table()) {
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
