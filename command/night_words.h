#pragma once

#include "core/night/records.h"

#include <span>
#include <string>
#include <vector>

namespace pathmark::command {

/// A frame by the start of its id, by its name, or by the name of its calibrated file.
///
/// Errors   night.unknown_id
Result<night::FrameId> frameNamed(std::span<const frame::FrameInfo> frames,
                                  const std::string& word);

/// Measurements by the start of their id, or all of a body.
///
/// Errors   night.unknown_id
Result<std::vector<std::string>> measurementsNamed(std::span<const night::MeasurementRecord> all,
                                                   const std::string& word);

} // namespace pathmark::command
