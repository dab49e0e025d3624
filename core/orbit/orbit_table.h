#pragma once

#include "core/base/result.h"
#include "core/orbit/elements.h"

#include <string>
#include <vector>

namespace pathmark::orbit {

/// Reads the full-precision table (a JSON list; see docs/file-formats.md) or the MPC orbit JSON.
///
/// Errors   orbit.bad_line  names the entry and the field that is missing or wrong
Result<std::vector<Elements>> parseOrbitJson(const std::string& text);

} // namespace pathmark::orbit
