#pragma once

#include "simulate/odd_faults.h"
#include "simulate/scenario.h"

#include <cstdint>
#include <string>
#include <vector>

namespace pathmark::simulate {

/// A night of nobody's telescope: camera, scale, field, site, date, bodies, headers and faults drawn at random.
struct OddNight {
    Scenario scenario;
    std::vector<OddFault> faults;
    std::string story; ///< a line for people
    double clockErrorSeconds = 0.0;
    double orbitErrorArcsec = 0.0; ///< of the orbits that the program is given
};

/// Domain   The same seed makes the same night.
OddNight drawOddNight(std::uint64_t seed);

/// Writes the night with its faults into a folder, and a recipe that needs no more than a star store "catalog" of the name
/// "stars" beside it.
///
/// Errors   as simulateNight
Result<std::vector<FaultDone>> writeOddNight(const OddNight& night,
                                             const std::filesystem::path& folder);

} // namespace pathmark::simulate
