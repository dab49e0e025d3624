#include "core/night/needs/made_recipe.h"

#include "core/base/toml.h"
#include "core/orbit/place/site_place.h"

#include <fmt/format.h>

namespace pathmark::night {
namespace {

namespace fs = std::filesystem;

std::string textLine(const char* key, const std::string& text) {
    return text.empty() ? text : fmt::format("{} = {}\n", key, tomlText(text));
}

/// A list; nothing where there is none.
std::string listLine(const char* key, const std::vector<std::string>& texts) {
    std::string list;
    for (const std::string& text : texts) {
        list += (list.empty() ? "" : ", ") + tomlText(text);
    }
    return list.empty() ? list : fmt::format("{} = [{}]\n", key, list);
}

std::string filesLine(const char* key, const std::vector<fs::path>& files) {
    std::vector<std::string> names;
    names.reserve(files.size());
    for (const fs::path& file : files) {
        names.push_back(fs::absolute(file).string());
    }
    return listLine(key, names);
}

std::string siteLines(const RecipeChoices& choices) {
    std::string lines = "[site]\n";
    if (!choices.site) {
        return lines + "unknown = true\n";
    }
    const frame::Site place = orbit::geodetic(*choices.site);
    lines += textLine("code", place.code) + textLine("name", choices.siteName);
    return lines +
           fmt::format("longitude_deg = {:.7f}\nlatitude_deg = {:.7f}\naltitude_m = {:.2f}\n",
                       place.longitude.degrees(),
                       place.latitude.degrees(),
                       place.altitudeMetres);
}

} // namespace

std::string recipeText(const RecipeChoices& choices) {
    std::string text = std::string(kMadeRecipe) + "\n" + siteLines(choices) + "[catalog]\n";
    text += choices.catalog.empty() ? "own_stars = true\n"
                                    : textLine("store", fs::absolute(choices.store).string()) +
                                          textLine("name", choices.catalog);
    text +=
        "[orbits]\n" + filesLine("files", choices.orbits) + filesLine("planets", choices.kernels);
    if (!choices.orbitIndex.empty()) {
        text += textLine("index", fs::absolute(choices.orbitIndex).string());
    }
    if (!choices.earthOrientation.empty()) {
        text += textLine("earth_orientation", fs::absolute(choices.earthOrientation).string());
    }
    text +=
        "[report]\n" + listLine("observers", choices.observers) +
        listLine("measurers", choices.measurers.empty() ? choices.observers : choices.measurers) +
        textLine("telescope", choices.telescopeDesign) + textLine("detector", choices.detector);
    if (choices.apertureMetres) {
        text += fmt::format("aperture_m = {}\n", *choices.apertureMetres);
    }
    return text;
}

} // namespace pathmark::night
