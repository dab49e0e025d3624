#pragma once

#include <nlohmann/json.hpp>

#include <string>
#include <string_view>

namespace pathmark::samp {

/// What programs tell each other: its kind ("coord.pointAt.sky") and its values.
struct Message {
    std::string kind;
    nlohmann::json parameters = nlohmann::json::object();

    /// A value that is a text; empty where there is none.
    [[nodiscard]] std::string text(const char* name) const;

    [[nodiscard]] nlohmann::json toJson() const;
    static Message from(const nlohmann::json& json);
};

/// What was made of a message.
nlohmann::json okResponse(nlohmann::json result = nlohmann::json::object());
nlohmann::json errorResponse(const std::string& words);

/// Whether a subscription covers a kind: "*" all, "image.*" what begins with "image.", else that kind alone.
bool covers(std::string_view subscription, std::string_view kind);

/// The text of a JSON map's member; empty where there is none, or it is none.
std::string textIn(const nlohmann::json& map, const char* name);

} // namespace pathmark::samp
