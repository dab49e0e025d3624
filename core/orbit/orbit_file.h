#pragma once

#include "core/base/result.h"
#include "core/orbit/elements.h"

#include <filesystem>
#include <span>
#include <string>
#include <vector>

namespace pathmark::orbit {

/// Orbits read from files, and the lines that could not be.
struct OrbitList {
    std::vector<Elements> orbits;
    std::vector<Error> badLines; ///< file, line and column of each; the other lines are kept
};

/// Reads one file, its format recognised from the content: JSON, comet lines or minor-planet lines.
///
/// Errors   orbit.not_readable  missing, unreadable, or no line of it is an orbit
Result<OrbitList> readOrbitFile(const std::filesystem::path& path);

/// Reads several; a body that stands in more than one file keeps its first orbit.
Result<OrbitList> readOrbitFiles(std::span<const std::filesystem::path> paths);

} // namespace pathmark::orbit
