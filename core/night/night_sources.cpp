#include "core/night/night_sources.h"

#include <utility>

namespace pathmark::night {

Result<std::shared_ptr<const OrbitSources>> KeptSources::orbits(const Job& job) {
    const std::scoped_lock lock(orbitsGuard_);
    if (!orbits_) {
        auto read = readOrbitSources(recipe_, job);
        if (!read) {
            return fail(read.error());
        }
        orbits_ = std::make_shared<const OrbitSources>(std::move(*read));
    }
    return orbits_;
}

Result<std::shared_ptr<const catalog::StarStore>> KeptSources::stars() {
    const std::scoped_lock lock(starsGuard_);
    if (!stars_) {
        const auto recipe = readRecipe(recipe_);
        if (!recipe) {
            return fail(recipe.error());
        }
        auto opened = catalog::StarStore::open(recipe->catalogStore, recipe->catalogName);
        if (!opened) {
            return fail(opened.error());
        }
        stars_ = std::make_shared<const catalog::StarStore>(std::move(*opened));
    }
    return stars_;
}

Result<NightSources> KeptSources::all(const Job& job) {
    auto orbits = this->orbits(job);
    if (!orbits) {
        return fail(orbits.error());
    }
    auto stars = this->stars();
    if (!stars) {
        return fail(stars.error());
    }
    return NightSources{std::move(*orbits), std::move(*stars)};
}

} // namespace pathmark::night
