#pragma once

#include "core/night/night_file.h"
#include "core/night/recipe.h"

#include <optional>
#include <string>

namespace pathmark::command {

/// The night file that a verb was given. Where it cannot be opened that is said, and `status` is what the verb ends with.
std::optional<night::NightFile> openNight(const std::string& path, int& status);

/// The recipe that was given, or that of the night's last run. Where it cannot be read that is said, and `status` is what the verb ends with.
std::optional<night::Recipe>
recipeOf(const night::NightFile& file, const std::string& given, int& status);

} // namespace pathmark::command
