#include "core/night/night_sources.h"

#include <utility>

namespace pathmark::night {

Result<std::shared_ptr<const NightSources>> readNightSources(const std::filesystem::path& recipe,
                                                             const Job& job) {
    auto orbits = readOrbitSources(recipe, job);
    if (!orbits) {
        return fail(orbits.error());
    }
    auto stars = catalog::StarStore::open(orbits->recipe.catalogStore, orbits->recipe.catalogName);
    if (!stars) {
        return fail(stars.error());
    }
    return std::make_shared<const NightSources>(
        NightSources{std::move(*orbits), std::move(*stars)});
}

} // namespace pathmark::night
