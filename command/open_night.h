#pragma once

#include "core/night/night_file.h"

#include <optional>
#include <string>

namespace pathmark::command {

/// The night file that a verb was given. Where it cannot be opened that is said, and `status` is what the verb ends with.
std::optional<night::NightFile> openNight(const std::string& path, int& status);

} // namespace pathmark::command
