#include "core/night/lost_paths.h"

#include "core/night/cloud_paths.h"
#include "core/night/orbit_paths.h"

namespace pathmark::night {

Result<std::unique_ptr<LostPaths>>
LostPaths::make(const LostBody& body,
                std::span<const StackLight> lights,
                const std::vector<std::vector<std::size_t>>& fields) {
    return body.cloud != nullptr ? cloudPaths(body, lights) : orbitPaths(body, lights, fields);
}

} // namespace pathmark::night
