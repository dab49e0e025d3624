#include "core/night/sky_tables.h"

#include "core/base/leap_seconds.h"
#include "core/night/data_files.h"

#include <fmt/format.h>

namespace pathmark::night {

Result<SkyTables> openSkyTables(const SkyTableFiles& files) {
    auto planets = files.kernels.empty() ? orbit::Planets::open(dataFile("planets-1995-2055.bsp"))
                                         : orbit::Planets::open(files.kernels);
    if (!planets) {
        return fail(planets.error());
    }
    orbit::EarthTurn turn;
    if (!files.earthOrientation.empty()) {
        auto read = orbit::EarthTurn::read(files.earthOrientation);
        if (!read) {
            return fail(read.error());
        }
        turn = std::move(*read);
    }
    return SkyTables{std::move(*planets), std::move(turn)};
}

void useShippedLeapSeconds() {
    if (const auto table = readLeapSeconds(dataFile("leap-seconds.list"))) {
        useLeapSeconds(*table);
    }
}

std::optional<std::string> leapSecondWarning(const Utc& date) {
    const auto table = readLeapSeconds(dataFile("leap-seconds.list"));
    if (!table || !(table->expires < date)) {
        return std::nullopt;
    }
    return fmt::format("The leap-second table ends on {}; a leap second after that is not known, "
                       "and each would shift "
                       "times by one second.",
                       toIso(table->expires, 0).substr(0, 10));
}

} // namespace pathmark::night
