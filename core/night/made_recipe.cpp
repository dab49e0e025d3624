#include "core/night/made_recipe.h"

#include "core/catalog/star_store.h"
#include "core/frame/folder_scan.h"
#include "core/orbit/place/site_place.h"

#include <fmt/format.h>

namespace pathmark::night {
namespace {

namespace fs = std::filesystem;

/// A basic string of TOML.
std::string quoted(const std::string& text) {
    std::string safe = "\"";
    for (const char c : text) {
        if (c == '"' || c == '\\') {
            safe += '\\';
            safe += c;
        } else if (static_cast<unsigned char>(c) < 0x20) {
            safe += fmt::format("\\u{:04X}", static_cast<unsigned char>(c));
        } else {
            safe += c;
        }
    }
    return safe + "\"";
}

/// A list of files; nothing where there are none.
std::string filesLine(const char* key, const std::vector<fs::path>& files) {
    std::string list;
    for (const fs::path& file : files) {
        list += (list.empty() ? "" : ", ") + quoted(fs::absolute(file).string());
    }
    return list.empty() ? list : fmt::format("{} = [{}]\n", key, list);
}

/// The first header that says where the camera stood.
Result<frame::Site> siteOfFrames(std::span<const fs::path> frames,
                                 const frame::ReadingRules& rules) {
    const frame::FrameList list = frame::listFrames(frames);
    if (list.files.empty()) {
        return list.failures.empty() ? fail(ErrorId::FrameNoFrames, "There is no frame here.")
                                     : fail(list.failures.front());
    }
    for (const fs::path& file : list.files) {
        if (const auto info = frame::describeFile(file, rules); info && info->site) {
            return *info->site;
        }
    }
    return fail(ErrorId::OrbitUnknownSite,
                "No header says where the camera stood. Give --site CODE or --site-geodetic LON "
                "LAT ALT_M.");
}

Result<std::string> catalogueOf(const RecipeChoices& choices) {
    if (choices.store.empty()) {
        return fail(
            ErrorId::CatalogNotFound,
            "A run without a recipe needs a star catalogue: give --store DIR, and --catalog "
            "NAME where there are several.");
    }
    if (!choices.catalog.empty()) {
        return choices.catalog;
    }
    const auto names = catalog::StarStore::names(choices.store);
    if (names.size() == 1) {
        return names.front();
    }
    std::string known;
    for (const std::string& name : names) {
        known += (known.empty() ? "" : ", ") + name;
    }
    return fail(ErrorId::CatalogNotFound,
                names.empty() ? "There is no catalogue in this store."
                              : "There are several catalogues in this store; name one by "
                                "--catalog: " +
                                    known + ".",
                choices.store.string());
}

} // namespace

Result<std::string> recipeText(const RecipeChoices& choices,
                               std::span<const fs::path> frames,
                               const frame::ReadingRules& rules) {
    const auto catalogue = catalogueOf(choices);
    if (!catalogue) {
        return fail(catalogue.error());
    }
    auto site = choices.site ? Result<frame::Site>(*choices.site) : siteOfFrames(frames, rules);
    if (!site) {
        return fail(site.error());
    }
    const frame::Site place = orbit::geodetic(*site);
    std::string text = "# What this night was run with.\n[site]\n";
    if (!place.code.empty()) {
        text += fmt::format("code = {}\n", quoted(place.code));
    }
    text += fmt::format("longitude_deg = {:.7f}\nlatitude_deg = {:.7f}\naltitude_m = {:.2f}\n",
                        place.longitude.degrees(),
                        place.latitude.degrees(),
                        place.altitudeMetres);
    text += fmt::format("[catalog]\nstore = {}\nname = {}\n",
                        quoted(fs::absolute(choices.store).string()),
                        quoted(*catalogue));
    text +=
        "[orbits]\n" + filesLine("files", choices.orbits) + filesLine("planets", choices.kernels);
    if (!choices.earthOrientation.empty()) {
        text += fmt::format("earth_orientation = {}\n",
                            quoted(fs::absolute(choices.earthOrientation).string()));
    }
    if (!choices.observer.empty()) {
        text += fmt::format("[report]\nobserver = {0}\nmeasurer = {0}\n", quoted(choices.observer));
    }
    return text;
}

} // namespace pathmark::night
