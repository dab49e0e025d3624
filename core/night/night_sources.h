#pragma once

#include "core/catalog/star_store.h"
#include "core/night/body_orbit.h"

#include <filesystem>
#include <memory>

namespace pathmark::night {

/// What a night's recipe names: orbits, and its star catalogue. Reading them takes a second; who asks often keeps them.
struct NightSources {
    OrbitSources orbits;
    catalog::StarStore stars;
};

/// Errors   those of readOrbitSources and StarStore::open
Result<std::shared_ptr<const NightSources>> readNightSources(const std::filesystem::path& recipe,
                                                             const Job& job);

} // namespace pathmark::night
