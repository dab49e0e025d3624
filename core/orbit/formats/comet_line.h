#pragma once

#include "core/base/result.h"
#include "core/orbit/elements.h"

#include <string>
#include <string_view>

namespace pathmark::orbit {

/// Reads one line of the MPC comet ephemerides format.
///
/// Errors   orbit.bad_line
/// Source   Minor Planet Center, "Ephemerides and Orbital Elements Format" for comets.
Result<Elements> parseCometLine(std::string_view line);

/// The line of a comet; `title` stands in columns 103 on.
///
/// Errors   orbit.bad_line  no packed designation
Result<std::string> toCometLine(const Elements& elements, const std::string& title);

} // namespace pathmark::orbit
