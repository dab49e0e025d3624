#include "core/frame/frame_time.h"

#include <fmt/format.h>

#include <array>
#include <string_view>

namespace pathmark::frame {
namespace {

constexpr std::array<std::string_view, 6> kClockKeywords{
    "TIME-OBS", "UT-OBS", "UTC-OBS", "UTSTART", "UT", "TIME-BEG"};

struct Moment {
    Utc time;
    std::string keywords;
};

/// A date keyword with its time of day inside, or in a second keyword.
std::optional<Moment> readDateKeyword(const Header& header, std::string_view keyword) {
    const auto date = header.text(keyword);
    if (!date) {
        return std::nullopt;
    }
    if (date->find_first_of("T:") != std::string::npos) {
        const auto time = parseUtc(*date);
        return time ? std::optional(Moment{*time, std::string(keyword)}) : std::nullopt;
    }
    for (const std::string_view clock : kClockKeywords) {
        const auto words = header.text(clock);
        if (!words) {
            continue;
        }
        if (const auto time = parseUtc(*date + "T" + *words)) {
            return Moment{*time, fmt::format("{} with {}", keyword, clock)};
        }
    }
    return std::nullopt;
}

std::optional<Moment> readDayNumber(const Header& header, std::string_view keyword, double zero) {
    const auto value = header.number(keyword);
    if (!value || *value <= 0.0) {
        return std::nullopt;
    }
    const double whole = static_cast<double>(static_cast<long long>(*value));
    return Moment{Utc::julian(zero + whole, *value - whole), std::string(keyword)};
}

constexpr double kMjdZero = 2400000.5;

} // namespace

std::optional<ExposureTime> findMidExposure(const Header& header, double exposureSeconds) {
    for (const auto& moment :
         {readDateKeyword(header, "DATE-AVG"), readDayNumber(header, "MJD-AVG", kMjdZero)}) {
        if (moment) {
            return ExposureTime{moment->time, moment->keywords + " is the middle"};
        }
    }
    for (const auto& moment : {readDateKeyword(header, "DATE-OBS"),
                               readDateKeyword(header, "DATE-BEG"),
                               readDayNumber(header, "MJD-OBS", kMjdZero),
                               readDayNumber(header, "JD", 0.0)}) {
        if (moment) {
            return ExposureTime{moment->time.plusSeconds(0.5 * exposureSeconds),
                                fmt::format("{} is the start; half of {} s added",
                                            moment->keywords,
                                            exposureSeconds)};
        }
    }
    if (const auto end = readDateKeyword(header, "DATE-END")) {
        return ExposureTime{
            end->time.plusSeconds(-0.5 * exposureSeconds),
            fmt::format("DATE-END is the end; half of {} s taken off", exposureSeconds)};
    }
    return std::nullopt;
}

} // namespace pathmark::frame
