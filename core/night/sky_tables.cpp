#include "core/night/sky_tables.h"

#include "core/base/leap_seconds.h"
#include "core/night/data_files.h"

#include <fmt/format.h>

namespace pathmark::night {

namespace {

std::vector<std::filesystem::path> kernelsOf(const SkyTableFiles& files) {
    return files.kernels.empty() ? std::vector{dataFile("planets-1995-2055.bsp")} : files.kernels;
}

/// A table of leap seconds and its file.
struct KnownLeapSeconds {
    std::filesystem::path file;
    Result<LeapSeconds> table;
};

/// The table that ships, or the one that was fetched where that knows longer.
KnownLeapSeconds knownLeapSeconds() {
    const auto read = [](const std::filesystem::path& file) {
        return KnownLeapSeconds{file, readLeapSeconds(file)};
    };
    KnownLeapSeconds shipped = read(dataFile("leap-seconds.list"));
    KnownLeapSeconds fetched = read(observersData("leap-seconds.list"));
    const bool isLater =
        fetched.table && (!shipped.table || shipped.table->expires < fetched.table->expires);
    return isLater ? fetched : shipped;
}

} // namespace

std::vector<std::filesystem::path> filesOf(const SkyTableFiles& files) {
    auto all = kernelsOf(files);
    if (!files.earthOrientation.empty()) {
        all.push_back(files.earthOrientation);
    }
    std::error_code status;
    if (const auto leapSeconds = knownLeapSeconds().file;
        std::filesystem::exists(leapSeconds, status)) {
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
    if (const auto table = knownLeapSeconds().table) {
        useLeapSeconds(*table);
    }
}

std::optional<std::string> leapSecondWarning(const Utc& date) {
    const auto table = knownLeapSeconds().table;
    if (!table || !(table->expires < date)) {
        return std::nullopt;
    }
    return fmt::format("The leap-second table ends on {}; a leap second after that is not known, "
                       "and each would shift "
                       "times by one second.",
                       toIso(table->expires, 0).substr(0, 10));
}

} // namespace pathmark::night
