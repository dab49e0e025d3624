#include "core/night/run_needs.h"

#include "core/base/text.h"
#include "core/catalog/star_store.h"
#include "core/night/services.h"
#include "core/orbit/place/site_place.h"

#include <fmt/format.h>

#include <cmath>
#include <sstream>

namespace pathmark::night {
namespace {

void findSite(std::span<const frame::FrameInfo> frames,
              const frame::Equipment& equipment,
              const RecipeChoices& kept,
              RunNeeds& needs) {
    for (const frame::FrameInfo& info : frames) {
        if (info.site) {
            needs.site = info.site;
            needs.siteFrom = "header of " + info.path.filename().string();
            return;
        }
    }
    // Of several sites the observer's file does not say which.
    if (equipment.sites.size() == 1) {
        needs.site = equipment.sites.front().site;
        needs.siteFrom = equipment.sites.front().name + " of equipment.toml";
    } else if (kept.site) {
        needs.site = kept.site;
        needs.siteFrom = "as the last time";
    }
}

bool holds(const std::filesystem::path& store, const std::string& catalog) {
    const auto names = catalog::StarStore::names(store);
    return std::find(names.begin(), names.end(), catalog) != names.end();
}

} // namespace

RecipeChoices RunNeeds::choices() const {
    RecipeChoices choices;
    choices.site = site;
    choices.observer = observer;
    choices.store = store;
    choices.catalog = catalog;
    choices.orbits = orbits;
    return choices;
}

void addFetched(RecipeChoices& choices) {
    std::error_code ignored;
    if (choices.store.empty() && !catalog::StarStore::names(fetchedStore()).empty()) {
        choices.store = fetchedStore();
    }
    if (!choices.orbits.empty()) {
        return;
    }
    for (const auto kind : {DataKind::Orbits, DataKind::Comets}) {
        if (std::filesystem::exists(fetchedFile(kind), ignored)) {
            choices.orbits.push_back(fetchedFile(kind));
        }
    }
}

RunNeeds findNeeds(std::span<const frame::FrameInfo> frames,
                   const frame::Equipment& equipment,
                   const RecipeChoices& kept) {
    RunNeeds needs;
    findSite(frames, equipment, kept, needs);
    needs.observer = equipment.observers.empty() ? kept.observer : equipment.observers.front();
    RecipeChoices fetched;
    addFetched(fetched);
    if (!kept.catalog.empty() && holds(kept.store, kept.catalog)) {
        needs.store = kept.store;
        needs.catalog = kept.catalog;
        needs.catalogFrom = "as the last time";
    } else if (const auto names = catalog::StarStore::names(fetched.store); names.size() == 1) {
        needs.store = fetched.store;
        needs.catalog = names.front();
        needs.catalogFrom = "fetched";
    }
    std::error_code ignored;
    for (const auto& file : kept.orbits) {
        if (std::filesystem::exists(file, ignored)) {
            needs.orbits.push_back(file);
            needs.orbitsFrom = "as the last time";
        }
    }
    if (needs.orbits.empty() && !fetched.orbits.empty()) {
        needs.orbits = fetched.orbits;
        needs.orbitsFrom = "fetched";
    }
    return needs;
}

Result<frame::Site> siteFromText(const std::string& text, const orbit::SiteCodes& codes) {
    std::istringstream stream(text);
    std::vector<std::string> words;
    for (std::string word; stream >> word;) {
        words.push_back(word);
    }
    if (words.size() == 1) {
        return codes.find(words.front());
    }
    frame::Site site;
    if (words.size() == 4) {
        site.code = words.front();
        words.erase(words.begin());
    }
    std::vector<double> numbers;
    for (const std::string& word : words) {
        if (const auto number = parseNumber(word); number && std::isfinite(*number)) {
            numbers.push_back(*number);
        }
    }
    if (words.size() != 3 || numbers.size() != 3 || std::abs(numbers[0]) > 360.0 ||
        std::abs(numbers[1]) > 90.0 || numbers[2] < -500.0 || numbers[2] > 9000.0) {
        return fail(ErrorId::OrbitUnknownSite,
                    "Give an observatory code, or longitude, latitude (degrees, east and north "
                    "positive) and altitude (metres).");
    }
    site.longitude = Angle::degrees(numbers[0]);
    site.latitude = Angle::degrees(numbers[1]);
    site.altitudeMetres = numbers[2];
    return site;
}

std::string siteText(const frame::Site& site) {
    const frame::Site place = orbit::geodetic(site);
    return fmt::format("{}{}{:.5f} {:.5f} {:.0f}",
                       place.code,
                       place.code.empty() ? "" : " ",
                       place.longitude.degrees(),
                       place.latitude.degrees(),
                       place.altitudeMetres);
}

} // namespace pathmark::night
