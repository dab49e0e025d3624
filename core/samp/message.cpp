#include "core/samp/message.h"

namespace pathmark::samp {

using nlohmann::json;

std::string textIn(const json& map, const char* name) {
    if (!map.is_object()) {
        return {};
    }
    const auto found = map.find(name);
    return found != map.end() && found->is_string() ? found->get<std::string>() : std::string();
}

std::string Message::text(const char* name) const {
    return textIn(parameters, name);
}

json Message::toJson() const {
    return {{"samp.mtype", kind}, {"samp.params", parameters}};
}

Message Message::from(const json& read) {
    Message message{textIn(read, "samp.mtype"), json::object()};
    if (read.is_object() && read.contains("samp.params") && read["samp.params"].is_object()) {
        message.parameters = read["samp.params"];
    }
    return message;
}

json okResponse(json result) {
    return {{"samp.status", "samp.ok"}, {"samp.result", std::move(result)}};
}

json errorResponse(const std::string& words) {
    return {{"samp.status", "samp.error"},
            {"samp.result", json::object()},
            {"samp.error", {{"samp.errortxt", words}}}};
}

bool covers(std::string_view subscription, std::string_view kind) {
    if (subscription == "*") {
        return true;
    }
    if (subscription.ends_with(".*")) {
        subscription.remove_suffix(1);
        return kind.starts_with(subscription);
    }
    return subscription == kind;
}

} // namespace pathmark::samp
