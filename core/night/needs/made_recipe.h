#pragma once

#include "core/frame/equipment.h"

#include <filesystem>
#include <optional>
#include <string>
#include <vector>

namespace pathmark::night {

/// What a run without a recipe works with, as it was told or found.
struct RecipeChoices {
    std::optional<frame::Site> site; ///< absent: not known
    std::string siteName;
    std::vector<std::string> observers;
    std::vector<std::string> measurers; ///< empty: the observers
    std::string telescopeDesign;
    std::optional<double> apertureMetres;
    std::string detector;
    std::filesystem::path store;
    std::string catalog; ///< empty: the frames are laid on each other by their own stars
    std::vector<std::filesystem::path> orbits;
    std::filesystem::path orbitIndex; ///< folder; empty: the orbits are read each time
    std::vector<std::filesystem::path> kernels;
    std::filesystem::path earthOrientation;
};

/// The first line of every recipe that is made.
inline constexpr const char* kMadeRecipe = "# What this night was run with.";

/// The recipe that they amount to, as TOML.
std::string recipeText(const RecipeChoices& choices);

} // namespace pathmark::night
