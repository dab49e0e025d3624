#pragma once

#include "core/catalog/star_store.h"

#include <optional>
#include <string>

namespace CLI {
class App;
} // namespace CLI

namespace pathmark::command {

/// A catalogue that a verb can do without.
struct CatalogArguments {
    std::string store;
    std::string name;
};

/// --store and --catalog; `purpose`: what the catalogue is for.
void addCatalogOptions(CLI::App& verb, CatalogArguments& arguments, const std::string& purpose);

/// What cannot be meant; empty where all is well.
std::string objectionTo(const CatalogArguments& arguments);

/// The catalogue named; absent where none is.
///
/// Errors   catalog.not_found
Result<std::optional<catalog::StarStore>> openCatalog(const CatalogArguments& arguments);

/// The same as those take it that can do without.
inline const catalog::StarStore* pointerTo(const std::optional<catalog::StarStore>& store) {
    return store ? &*store : nullptr;
}

} // namespace pathmark::command
