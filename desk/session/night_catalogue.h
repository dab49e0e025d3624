#pragma once

#include "core/catalog/star_store.h"

#include <filesystem>
#include <memory>
#include <string>

namespace pathmark::desk {

/// The star catalogue of a night's recipe; opened when it is first asked for.
class NightCatalogue {
  public:
    /// Errors   night.bad_recipe, catalog.not_found
    Result<std::shared_ptr<const catalog::StarStore>> of(const std::filesystem::path& recipe);

    void forget() { store_.reset(); }

  private:
    std::shared_ptr<const catalog::StarStore> store_;
    std::string recipe_; ///< that it belongs to
};

} // namespace pathmark::desk
