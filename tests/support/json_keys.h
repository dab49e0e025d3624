#pragma once

#include <nlohmann/json.hpp>

#include <set>
#include <string>

namespace pathmark::test_support {

/// The names of an object's fields.
inline std::set<std::string> keysOf(const nlohmann::json& object) {
    std::set<std::string> keys;
    for (const auto& entry : object.items()) {
        keys.insert(entry.key());
    }
    return keys;
}

} // namespace pathmark::test_support
