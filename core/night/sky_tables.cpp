#include "core/night/sky_tables.h"

#include "core/base/leap_seconds.h"
#include "core/night/data_files.h"

#include <fmt/format.h>

namespace pathmark::night {

namespace {

std::vector<std::filesystem::path> kernelsOf(const SkyTableFiles& files) {
    return files.kernels.empty() ? std::vector{dataFile("planets-1995-2055.bsp")} : files.kernels;
}

/// The table that ships, or the one that was fetched where that knows longer.
std::filesystem::path leapSecondFile() {
    const auto shipped = dataFile("leap-seconds.list");
    const auto fetched = observersData("leap-seconds.list");
    const auto ours = readLeapSeconds(fetched);
    const auto theirs = readLeapSeconds(shipped);
    return ours && (!theirs || theirs->expires < ours->expires) ? fetched : shipped;
}

} // namespace

std::vector<std::filesystem::path> filesOf(const SkyTableFiles& files) {
    auto all = kernelsOf(files);
    if (!files.earthOrientation.empty()) {
        all.push_back(files.earthOrientation);
    }
    std::error_code status;
    if (const auto leapSeconds = leapSecondFile(); std::filesystem::exists(leapSeconds, status)) {
        all.push_back(leapSeconds);
    }
    return all;
}

Result<SkyTables> openSkyTables(const SkyTableFiles& files) {
    auto planets = orbit::Planets::open(kernelsOf(files));
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
    if (const auto table = readLeapSeconds(leapSecondFile())) {
        useLeapSeconds(*table);
    }
}

std::optional<std::string> leapSecondWarning(const Utc& date) {
    const auto table = readLeapSeconds(leapSecondFile());
    if (!table || !(table->expires < date)) {
        return std::nullopt;
    }
    return fmt::format("The leap-second table ends on {}; a leap second after that is not known, "
                       "and each would shift "
                       "times by one second.",
                       toIso(table->expires, 0).substr(0, 10));
}

} // namespace pathmark::night
