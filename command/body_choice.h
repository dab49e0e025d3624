#pragma once

#include "command/console.h"
#include "command/sky_options.h"
#include "core/orbit/elements.h"

#include <string>
#include <vector>

namespace pathmark::command {

/// A body of some orbit files.
///
/// Errors   orbit.not_readable, orbit.unknown_body; bad lines are complained of
Result<orbit::Elements> bodyFrom(const std::vector<std::string>& orbitFiles,
                                 const std::string& body);

} // namespace pathmark::command
