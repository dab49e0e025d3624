#pragma once

#include "core/base/job.h"
#include "core/base/result.h"
#include "simulate/scenario.h"

#include <filesystem>

namespace pathmark::simulate {

/// Writes a made-up night into a folder: lights/, calibration/, catalog/stars.csv, orbits/, past-observations.txt and
/// truth.json.
///
/// Errors   base.cannot_write, base.disk_full, base.cancelled
/// Cost     About a third of a second for a frame of two megapixels.
Result<bool>
simulateNight(const Scenario& scenario, const std::filesystem::path& out, const Job& job);

} // namespace pathmark::simulate
