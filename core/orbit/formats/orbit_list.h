#pragma once

#include "core/base/error.h"
#include "core/orbit/elements.h"

#include <vector>

namespace pathmark::orbit {

/// Orbits read from files, and the lines that could not be.
struct OrbitList {
    std::vector<Elements> orbits;
    std::vector<Error> badLines; ///< file, line and column of each; the other lines are kept
    int duplicates = 0;          ///< bodies that stood in an earlier line or file: the first counts
};

} // namespace pathmark::orbit
