#pragma once

#include "core/base/result.h"
#include "core/night/recipe.h"
#include "core/night/recipe_document.h"

#include <filesystem>

namespace pathmark::night {

/// Reads what a recipe says of the calibration: [camera], [calibration], [kinds], [masters] and [[exclude]].
///
/// Errors   night.bad_recipe
Result<bool>
readCalibration(const RecipeDocument& document, const std::filesystem::path& path, Recipe& recipe);

} // namespace pathmark::night
