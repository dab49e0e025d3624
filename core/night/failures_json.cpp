#include "core/night/failures_json.h"

#include <nlohmann/json.hpp>

namespace pathmark::night {

nlohmann::json failuresJson(std::span<const Error> failures) {
    nlohmann::json list = nlohmann::json::array();
    for (const Error& error : failures) {
        list.push_back(
            {{"id", name(error.id)}, {"file", error.subject}, {"message", error.detail}});
    }
    return list;
}

} // namespace pathmark::night
