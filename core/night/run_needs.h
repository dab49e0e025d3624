#pragma once

#include "core/frame/equipment.h"
#include "core/night/made_recipe.h"
#include "core/orbit/formats/site_codes.h"

#include <filesystem>
#include <optional>
#include <span>
#include <string>
#include <vector>

namespace pathmark::night {

/// What a run without a recipe works with, and where each was found, in words; empty where it was not.
struct RunNeeds {
    std::optional<frame::Site> site;
    std::string siteFrom;
    std::filesystem::path store;
    std::string catalog;
    std::string catalogFrom;
    std::vector<std::filesystem::path> orbits; ///< may be empty: then no body is known
    std::string orbitsFrom;
    std::string observer; ///< may be empty: then the report has no name

    [[nodiscard]] bool isComplete() const { return site.has_value() && !catalog.empty(); }

    [[nodiscard]] RecipeChoices choices() const;
};

/// Fills in what was fetched where nobody named a catalogue or orbits.
void addFetched(RecipeChoices& choices);

/// What the frames' headers say, the observer's equipment, what the run before was told (`kept`), and what was fetched, in this order.
RunNeeds findNeeds(std::span<const frame::FrameInfo> frames,
                   const frame::Equipment& equipment,
                   const RecipeChoices& kept);

/// A site as one writes it: an observatory code, or longitude, latitude and altitude (degrees, east positive; metres), with a code
/// before them or not.
///
/// Errors   orbit.unknown_site  none of these, or a code that no list has
Result<frame::Site> siteFromText(const std::string& text, const orbit::SiteCodes& codes);

/// The same text of a site.
std::string siteText(const frame::Site& site);

} // namespace pathmark::night
