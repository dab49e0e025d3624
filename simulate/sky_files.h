#pragma once

#include "core/base/result.h"
#include "simulate/catalogue.h"
#include "simulate/scenario.h"

#include <filesystem>
#include <vector>

namespace pathmark::simulate {

/// The catalogue as the Gaia archive's CSV, with the errors it states added to places and magnitudes.
Result<bool> writeCatalogue(const Scenario& scenario,
                            const std::vector<SimStar>& stars,
                            const std::filesystem::path& path);

/// orbits.json (full precision), minor-planets.txt (MPC one-line, filled up with bodies elsewhere) and comets.txt.
Result<bool> writeOrbits(const Scenario& scenario, const std::filesystem::path& folder);

/// Past observations of every body as MPC 80-column lines: three nights before the first series, 0.3" noise.
Result<bool> writePastObservations(const Scenario& scenario, const std::filesystem::path& path);

} // namespace pathmark::simulate
