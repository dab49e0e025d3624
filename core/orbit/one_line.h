#pragma once

#include "core/base/result.h"
#include "core/orbit/elements.h"

#include <string_view>

namespace pathmark::orbit {

/// Reads one line of the MPC one-line minor-planet orbit format (columns 1 to 103 at least).
///
/// Errors   orbit.bad_line  the first column that does not hold what it should, counted from 1
/// Accuracy Angles as written, 1e-5 degree; a follows from the mean motion's column or, as here, from a.
/// Source   Minor Planet Center, "Export Format for Minor-Planet Orbits".
Result<Elements> parseOneLine(std::string_view line);

/// Reads one line of the MPC comet ephemerides format.
///
/// Errors   orbit.bad_line
/// Source   Minor Planet Center, "Ephemerides and Orbital Elements Format" for comets.
Result<Elements> parseCometLine(std::string_view line);

} // namespace pathmark::orbit
