#pragma once

#include "core/base/result.h"
#include "core/orbit/formats/orbit_list.h"

#include <filesystem>
#include <span>
#include <string>
#include <vector>

namespace pathmark::orbit {

/// Reads one file, its format recognised from the content: JSON, comet lines or minor-planet lines.
///
/// Errors   orbit.not_readable  missing, unreadable, or no line of it is an orbit
/// Cost     1.4 million lines in some seconds: the lines are shared out over the cores.
Result<OrbitList> readOrbitFile(const std::filesystem::path& path);

/// Reads several; a body that stands in more than one file keeps its first orbit.
Result<OrbitList> readOrbitFiles(std::span<const std::filesystem::path> paths);

} // namespace pathmark::orbit
