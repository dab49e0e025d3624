#include "core/night/lost_paths.h"

#include "core/night/cloud_paths.h"
#include "core/night/orbit_paths.h"

#include <algorithm>

namespace pathmark::night {

std::pair<Utc, Utc> spanOf(std::span<const StackLight> lights) {
    const auto [first, last] = std::minmax_element(
        lights.begin(), lights.end(), [](const StackLight& a, const StackLight& b) {
            return a.middle < b.middle;
        });
    return {first->middle, last->middle};
}

Result<std::unique_ptr<LostPaths>>
LostPaths::make(const LostBody& body,
                std::span<const StackLight> lights,
                const std::vector<std::vector<std::size_t>>& fields) {
    return body.cloud != nullptr ? cloudPaths(body, lights) : orbitPaths(body, lights, fields);
}

} // namespace pathmark::night
