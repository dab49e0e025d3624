#pragma once

#include "core/base/result.h"
#include "core/orbit/elements.h"

#include <string>
#include <string_view>

namespace pathmark::orbit {

/// What a line says besides the orbit, as text where only a person reads it.
struct OneLineNotes {
    char uncertainty = ' '; ///< U: 0 to 9, or a letter for an assumed eccentricity
    std::string reference;  ///< publication
    int observations = 0;
    int oppositions = 0;
    std::string arc;        ///< "1998-2031", or "  35 days" where there is one opposition
    std::string rms;        ///< arcsec
    std::string perturbers; ///< columns 143 to 149
    std::string computer;
    unsigned flags = 0;       ///< four hexadecimal digits: kind of orbit, near-Earth, and so on
    std::string title;        ///< readable designation, with the name where there is one
    std::string lastObserved; ///< YYYYMMDD
};

/// Reads one line of the MPC one-line minor-planet orbit format (columns 1 to 103 at least).
///
/// Errors   orbit.bad_line  the first column that does not hold what it should, counted from 1
/// Accuracy Angles as written, 1e-5 degree.
/// Source   Minor Planet Center, "Export Format for Minor-Planet Orbits"; runoff by "Uncertainty Parameter U".
Result<Elements> parseOneLine(std::string_view line);

/// The rest of the line.
OneLineNotes parseOneLineNotes(std::string_view line);

/// The line of an orbit, 202 columns.
///
/// Errors   orbit.bad_line  no ellipse, no packed designation, or an epoch with a time of day or outside 1800 to 2199
Result<std::string> toOneLine(const Elements& elements, const OneLineNotes& notes = {});

} // namespace pathmark::orbit
