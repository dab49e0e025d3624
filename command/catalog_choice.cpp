#include "command/catalog_choice.h"

#include <CLI/CLI.hpp>

namespace pathmark::command {

void addCatalogOptions(CLI::App& verb, CatalogArguments& a, const std::string& purpose) {
    verb.add_option("--store", a.store, "Folder of the catalogues");
    verb.add_option("--catalog", a.name, "Catalogue, for " + purpose);
}

std::string objectionTo(const CatalogArguments& a) {
    return a.store.empty() == a.name.empty() ? std::string() : "--store and --catalog go together.";
}

Result<std::optional<catalog::StarStore>> openCatalog(const CatalogArguments& a) {
    if (a.store.empty()) {
        return std::optional<catalog::StarStore>();
    }
    auto store = catalog::StarStore::open(a.store, a.name);
    if (!store) {
        return fail(store.error());
    }
    return std::optional<catalog::StarStore>(std::move(*store));
}

} // namespace pathmark::command
