#pragma once

#include "core/night/needs/fetch_needs.h"

#include <filesystem>
#include <span>
#include <vector>

namespace pathmark::night {

/// What a night without a recipe is to be run with.
struct PrepareRequest {
    std::vector<std::filesystem::path> places; ///< the frames: files and folders
    std::filesystem::path out;
    RecipeChoices told; ///< counts before what is found
    std::string
        site; ///< told as one writes it: a profile's name, a code that the headers' place has
    std::optional<SkyPos> pointing; ///< of targets whose headers have none
    bool fetches = true;            ///< false: only what is here
    Patience patience{20.0, 2};
};

struct PreparedNight {
    std::filesystem::path recipe; ///< OUT/recipe.toml
    std::vector<Error>
        problems; ///< what could not be fetched, and what becomes of the night without it
};

/// Finds what a run needs from the frames' headers, the observer's profiles and what was fetched, fetches what is missing, and writes
/// the recipe that it amounts to.
///
/// Errors   frame.no_frames, frame.bad_equipment, catalog.not_found (of a store that was told), base.cannot_write, base.disk_full, base.cancelled
Result<PreparedNight> prepareNight(const PrepareRequest& request, const Job& job);

/// What is known of frames, with what the request tells.
///
/// Errors   those of NightFacts::find
Result<NightFacts> factsFor(std::span<const frame::FrameInfo> frames,
                            const PrepareRequest& request);

/// The same of what is known of the night already.
Result<PreparedNight>
prepareNight(const NightFacts& facts, const PrepareRequest& request, const Job& job);

/// Whether the recipe of a results folder was made by an earlier run, and lacks something that may be there by now.
bool isUnfinishedRecipe(const std::filesystem::path& recipe);

/// What an earlier run was told, by the recipe that it made; nothing where there is none.
RecipeChoices toldBefore(const std::filesystem::path& recipe);

} // namespace pathmark::night
