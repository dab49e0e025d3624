#include "core/night/product.h"

#include "core/base/expects.h"
#include "core/base/hash.h"

#include <nlohmann/json.hpp>

#include <algorithm>

namespace pathmark::night {
const ProductKindInfo& infoOf(ProductKind kind) {
    const auto known = std::find_if(
        kProductKinds.begin(), kProductKinds.end(), [&](const auto& k) { return k.kind == kind; });
    PATHMARK_EXPECTS(known != kProductKinds.end());
    return *known;
}

const char* name(ProductKind kind) {
    return infoOf(kind).name;
}

std::optional<ProductKind> productKindNamed(std::string_view text) {
    const auto known = std::find_if(
        kProductKinds.begin(), kProductKinds.end(), [&](const auto& k) { return text == k.name; });
    return known == kProductKinds.end() ? std::nullopt : std::optional(known->kind);
}

ProductKey& ProductKey::settings(std::string text) {
    settings_.push_back(std::move(text));
    return *this;
}

ProductKey& ProductKey::input(std::string_view what, std::string key) {
    inputs_.emplace_back(what, std::move(key));
    return *this;
}

std::string ProductKey::hex() const {
    Digest digest;
    digest.add(step_).add(static_cast<double>(version_));
    for (const std::string& text : settings_) {
        digest.add("settings").add(text);
    }
    for (const auto& [what, key] : inputs_) {
        digest.add(what).add(key);
    }
    return digest.hex();
}

std::string ProductKey::origin() const {
    nlohmann::json inputs = nlohmann::json::array();
    for (const auto& [what, key] : inputs_) {
        inputs.push_back({what, key});
    }
    return nlohmann::json{
        {"step", step_}, {"version", version_}, {"settings", settings_}, {"inputs", inputs}}
        .dump(-1, ' ', false, nlohmann::json::error_handler_t::replace);
}

} // namespace pathmark::night
