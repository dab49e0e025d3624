#include "core/base/toml_read.h"

#include "core/base/text.h"

#include <fmt/format.h>

#include <algorithm>

namespace pathmark {

double tomlNumber(const toml::value& value) {
    return value.is_integer() ? static_cast<double>(value.as_integer()) : toml::get<double>(value);
}

std::string tomlProblem(const std::exception& error) {
    const std::string text = error.what();
    return text.substr(0, text.find("\n --> "));
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
