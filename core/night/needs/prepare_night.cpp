#include "core/night/needs/prepare_night.h"

#include "core/base/atomic_file.h"
#include "core/base/whole_file.h"
#include "core/catalog/star_store.h"
#include "core/frame/folder_scan.h"
#include "core/night/recipe.h"

#include <fmt/format.h>

#include <algorithm>

namespace pathmark::night {
namespace {

namespace fs = std::filesystem;

/// A store that was told must hold the catalogue that is to be used.
Result<bool> checkCatalogue(const RecipeChoices& told) {
    if (told.store.empty()) {
        return told.catalog.empty()
                   ? Result<bool>(true)
                   : fail(ErrorId::CatalogNotFound,
                          "A catalogue is named without the store that it is in: give --store DIR.",
                          told.catalog);
    }
    const auto names = catalog::StarStore::names(told.store);
    const bool isThere = told.catalog.empty()
                             ? names.size() == 1
                             : std::find(names.begin(), names.end(), told.catalog) != names.end();
    if (isThere) {
        return true;
    }
    return fail(ErrorId::CatalogNotFound,
                names.empty()
                    ? "There is no catalogue in this store."
                    : fmt::format("Name one of the catalogues of this store by --catalog: {}.",
                                  fmt::join(names, ", ")),
                told.store.string());
}

bool isMadeRecipe(const fs::path& path) {
    const auto text = readWholeFile(path);
    return text && text->starts_with(kMadeRecipe);
}

} // namespace

Result<PreparedNight>
prepareNight(const NightFacts& facts, const PrepareRequest& request, const Job& job) {
    PreparedNight prepared;
    if (request.fetches) {
        prepared.problems = fetchNeeds(facts, request.patience, job);
    }
    if (job.stop.stop_requested()) {
        return fail(ErrorId::BaseCancelled, "Stopped; what was fetched is kept.");
    }
    const RecipeChoices choices = facts.choices();
    if (!choices.site) {
        prepared.problems.push_back(
            {ErrorId::OrbitUnknownSite,
             "No header and no profile says where the camera stood: bodies are looked for where "
             "the Earth's centre sees them, and no report is written. Give --site CODE or "
             "--site-geodetic LON LAT ALT_M.",
             {}});
    }
    if (choices.catalog.empty()) {
        prepared.problems.push_back(
            {ErrorId::CatalogNotFound,
             "There is no star catalogue: the frames are laid on each other by their own stars, "
             "and nothing has a place on the sky. Give --store DIR, or let the run fetch one.",
             {}});
    }
    prepared.recipe = request.out / "recipe.toml";
    if (auto made = makeFolder(request.out); !made) {
        return fail(made.error());
    }
    if (auto written = writeWholeText(prepared.recipe, recipeText(choices)); !written) {
        return fail(written.error());
    }
    job.message("What the night is run with stands in " + prepared.recipe.string() + ".");
    return prepared;
}

Result<NightFacts> factsFor(std::span<const frame::FrameInfo> frames,
                            const PrepareRequest& request) {
    auto facts = NightFacts::find(frames, request.told);
    if (facts && !request.site.empty()) {
        if (auto told = facts->tell(FactKind::Site, {}, request.site); !told) {
            Error error = told.error();
            error.subject = request.site;
            return fail(std::move(error));
        }
    }
    if (facts && request.pointing) {
        facts->setPointing(*request.pointing);
    }
    return facts;
}

Result<PreparedNight> prepareNight(const PrepareRequest& request, const Job& job) {
    if (auto good = checkCatalogue(request.told); !good) {
        return fail(good.error());
    }
    const auto rules = frame::observersRules();
    if (!rules) {
        return fail(rules.error());
    }
    const auto scan = frame::scanFrames(request.places, job, *rules);
    if (!scan) {
        return fail(scan.error());
    }
    const auto facts = factsFor(scan->frames, request);
    return facts ? prepareNight(*facts, request, job) : fail(facts.error());
}

bool isUnfinishedRecipe(const fs::path& path) {
    if (!isMadeRecipe(path)) {
        return false;
    }
    const auto recipe = readRecipe(path);
    return !recipe || !recipe->siteKnown || recipe->ownStars || recipe->head.observers.empty() ||
           recipe->orbitFiles.empty();
}

RecipeChoices toldBefore(const fs::path& path) {
    RecipeChoices told;
    const auto recipe =
        isMadeRecipe(path) ? readRecipe(path) : Result<Recipe>(fail(ErrorId::NightBadRecipe, {}));
    if (!recipe) {
        return told;
    }
    if (recipe->siteKnown) {
        told.site = recipe->site;
        told.siteName = recipe->head.observatory;
    }
    told.observers = recipe->head.observers;
    told.measurers = recipe->head.measurers;
    if (!recipe->ownStars && recipe->catalogStore != fetchedStore()) {
        told.store = recipe->catalogStore;
        told.catalog = recipe->catalogName;
    }
    for (const fs::path& file : recipe->orbitFiles) {
        if (file != fetchedFile(DataKind::Orbits) && file != fetchedFile(DataKind::Comets)) {
            told.orbits.push_back(file);
        }
    }
    told.kernels = recipe->skyTables.kernels;
    if (recipe->skyTables.earthOrientation != fetchedFile(DataKind::EarthOrientation)) {
        told.earthOrientation = recipe->skyTables.earthOrientation;
    }
    return told;
}

} // namespace pathmark::night
