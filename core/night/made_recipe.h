#pragma once

#include "core/base/result.h"
#include "core/frame/equipment.h"

#include <filesystem>
#include <optional>
#include <span>
#include <string>
#include <vector>

namespace pathmark::night {

/// What a run without a recipe is told; the rest the frames say.
struct RecipeChoices {
    std::optional<frame::Site> site; ///< absent: as the frames' headers have it
    std::string observer;
    std::filesystem::path store;
    std::string catalog; ///< empty: the only one of the store
    std::vector<std::filesystem::path> orbits;
    std::vector<std::filesystem::path> kernels;
    std::filesystem::path earthOrientation;
};

/// The recipe that they amount to, as TOML.
///
/// Errors   orbit.unknown_site  neither told nor in any header; catalog.not_found  no catalogue, or several and none named;
///          frame.no_frames
Result<std::string> recipeText(const RecipeChoices& choices,
                               std::span<const std::filesystem::path> frames,
                               const frame::ReadingRules& rules);

} // namespace pathmark::night
