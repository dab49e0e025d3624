#pragma once

#include "core/base/result.h"
#include "core/orbit/formats/observation.h"

#include <string>
#include <string_view>

namespace pathmark::orbit {

/// What a line is by its fifteenth column.
enum class EightyColumnKind { Optical, Satellite, Roving, Radar, Replaced };

/// nullopt for a second line of two, or one that is too short to tell.
std::optional<EightyColumnKind> eightyColumnKind(std::string_view line);

/// Reads one observation; `second` is the line after it, which satellite, roving and radar records need.
///
/// Errors   orbit.bad_line  the first columns that do not hold what they should, counted from 1
/// Source   Minor Planet Center, "Format for Optical Astrometric Observations", "... Satellite-Based ...",
///          "... Roving Observers", "... Radar Observations".
Result<Observation> parseEightyColumn(std::string_view line, std::string_view second = {});

/// The line or, separated by a line end, the two lines of an observation.
///
/// Errors   orbit.bad_line  the designation has no packed form
Result<std::string> toEightyColumn(const Observation& observation);

/// ADES name of a star catalogue from its letter in column 72, and back; empty and blank where unknown.
std::string starCatalogueOf(char letter);
char starCatalogueLetter(std::string_view name);

} // namespace pathmark::orbit
