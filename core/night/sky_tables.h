#pragma once

#include "core/orbit/motion/planets.h"
#include "core/orbit/place/earth_turn.h"

#include <filesystem>
#include <optional>
#include <string>
#include <vector>

namespace pathmark::night {

/// The tables that every place on the sky rests on.
struct SkyTables {
    orbit::Planets planets;
    orbit::EarthTurn turn;
};

struct SkyTableFiles {
    std::vector<std::filesystem::path> kernels; ///< none: the one that ships
    std::filesystem::path earthOrientation;     ///< empty: UT1 = UTC
};

/// The files that places on the sky are worked out from; the shipped ones where none are named.
std::vector<std::filesystem::path> filesOf(const SkyTableFiles& files);

/// Opens them.
///
/// Errors   orbit.not_readable
Result<SkyTables> openSkyTables(const SkyTableFiles& files);

/// Makes the leap seconds that ship with the program the ones in use; to be called once at the start. Without the
/// file the library's own stay.
void useShippedLeapSeconds();

/// One sentence where a date lies beyond what the leap-second table knows: half a second of body motion for each
/// second that may have been added since.
std::optional<std::string> leapSecondWarning(const Utc& date);

} // namespace pathmark::night
