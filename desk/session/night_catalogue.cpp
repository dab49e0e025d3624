#include "desk/session/night_catalogue.h"

#include "core/night/recipe.h"

namespace pathmark::desk {

Result<std::shared_ptr<const catalog::StarStore>>
NightCatalogue::of(const std::filesystem::path& recipe) {
    if (store_ && recipe_ == recipe.string()) {
        return store_;
    }
    const auto read = night::readRecipe(recipe);
    if (!read) {
        return fail(read.error());
    }
    auto opened = catalog::StarStore::open(read->catalogStore, read->catalogName);
    if (!opened) {
        return fail(opened.error());
    }
    store_ = std::make_shared<const catalog::StarStore>(std::move(*opened));
    recipe_ = recipe.string();
    return store_;
}

} // namespace pathmark::desk
