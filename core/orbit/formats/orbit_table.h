#pragma once

#include "core/base/result.h"
#include "core/orbit/formats/orbit_list.h"

#include <span>
#include <string>
#include <string_view>

namespace pathmark::orbit {

/// Reads orbits in JSON: the full-precision table (a list; see docs/file-formats.md), the MPC's catalogue export, or
/// the MPC's orbit record with its covariance. An entry that is wrong leaves the others; its line and field are said.
///
/// Errors   orbit.bad_line  neither a list nor an object of JSON
/// Cost     Entries are read one by one: a file of a gigabyte needs no more memory than its orbits.
Result<OrbitList> parseOrbitJson(std::string_view text);

/// The full-precision table of orbits, with everything that the elements hold.
std::string toOrbitTable(std::span<const Elements> orbits);

/// The MPC's catalogue export of ellipses, one entry an orbit.
std::string toMpcJson(std::span<const Elements> orbits);

} // namespace pathmark::orbit
