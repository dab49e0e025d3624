#include "core/base/time.h"

#include "core/base/text.h"

#include <erfa.h>
#include <fmt/format.h>

#include <array>
#include <cmath>
#include <cstdio>

namespace pathmark {
namespace {

/// TDB - TT in seconds at the geocentre; TT in place of TDB as argument costs nothing here.
///
/// Within 10 microseconds of the full series of 800 terms, in which the Earth moves 30 cm; called for every place of
/// every body, so that the full series would be most of an ephemeris' time.
///
/// Source   Kaplan 2005, USNO Circular 179, eq. 2.6.
double tdbMinusTt(double day, double fraction) {
    const double t = ((day - 2451545.0) + fraction) / 36525.0;
    return 0.001657 * std::sin(628.3076 * t + 6.2401) + 0.000022 * std::sin(575.3385 * t + 4.2970) +
           0.000014 * std::sin(1256.6152 * t + 6.1969) +
           0.000005 * std::sin(606.9777 * t + 4.0212) + 0.000005 * std::sin(52.9691 * t + 0.4444) +
           0.000002 * std::sin(21.3299 * t + 5.5431) +
           0.000010 * t * std::sin(628.3076 * t + 4.2490);
}

bool readDate(std::string_view text, std::array<int, 3>& date) {
    char separator = '-';
    if (text.find('/') != std::string_view::npos) {
        separator = '/';
    }
    const auto parts = split(text, separator);
    if (parts.size() != 3) {
        return false;
    }
    for (std::size_t i = 0; i < 3; ++i) {
        const auto number = parseInteger(parts[i]);
        if (!number) {
            return false;
        }
        date[i] = static_cast<int>(*number);
    }
    return parts[0].size() == 4;
}

bool readClock(std::string_view text, double& seconds) {
    if (text == "24:00:00" || text == "24:00") {
        seconds = kSecondsPerDay; // midnight, as the end of its day
        return true;
    }
    const auto parts = split(text, ':');
    if (parts.size() < 2 || parts.size() > 3) {
        return false;
    }
    const std::array<double, 3> factor{3600.0, 60.0, 1.0};
    const std::array<double, 3> limit{24.0, 60.0, 61.0};
    seconds = 0.0;
    for (std::size_t i = 0; i < parts.size(); ++i) {
        const auto number = parseNumber(parts[i]);
        if (!number || *number < 0.0 || *number >= limit[i]) {
            return false;
        }
        seconds += *number * factor[i];
    }
    return true;
}

} // namespace

Result<Utc> parseUtc(std::string_view text) {
    const std::string_view whole = trim(text);
    std::string_view rest = whole;
    const auto bad = [&] {
        return fail(ErrorId::BaseBadTime,
                    fmt::format("'{}' is not a time like 2031-04-05T06:07:08.250.", whole));
    };
    if (!rest.empty() && (rest.back() == 'Z' || rest.back() == 'z')) {
        rest.remove_suffix(1);
    }
    const std::size_t cut = rest.find_first_of("Tt ");
    std::array<int, 3> date{};
    double seconds = 0.0;
    if (!readDate(rest.substr(0, cut), date)) {
        return bad();
    }
    if (cut != std::string_view::npos && !readClock(trim(rest.substr(cut + 1)), seconds)) {
        return bad();
    }
    double day = 0.0;
    double mjd = 0.0;
    if (eraCal2jd(date[0], date[1], date[2], &day, &mjd) != 0) {
        return bad();
    }
    return Utc::julian(day + mjd, seconds / kSecondsPerDay);
}

double taiMinusUtc(const Utc& time) {
    const CalendarDay day = toCalendar(time);
    double seconds = 0.0;
    // A status of +1 says that the year is beyond the table: its last entry is what is known.
    eraDat(day.year, day.month, day.day, day.fraction, &seconds);
    return seconds;
}

Utc plusElapsed(const Utc& time, double seconds) {
    const Utc later = time.plusSeconds(seconds);
    const double inserted = taiMinusUtc(later) - taiMinusUtc(time);
    // Before 1972 the difference drifted by microseconds a day; only whole leap seconds are meant here.
    return std::abs(inserted) > 0.5 ? later.plusSeconds(-inserted) : later;
}

CalendarDay toCalendar(const Utc& time) {
    CalendarDay result;
    eraJd2cal(
        time.day(), time.fraction(), &result.year, &result.month, &result.day, &result.fraction);
    return result;
}

std::string toIso(const Utc& time, int decimals) {
    const double step = std::pow(10.0, -decimals);
    // Round first, so that 59.9996 s never prints as 60.000.
    const CalendarDay day = toCalendar(time.plusSeconds(0.5 * step));
    const double ticks = std::floor(day.fraction * kSecondsPerDay / step + 1e-6);
    const auto perSecond = std::llround(1.0 / step);
    const auto total = static_cast<long long>(ticks);
    const long long seconds = total / perSecond;
    std::string text = fmt::format("{:04}-{:02}-{:02}T{:02}:{:02}:{:02}",
                                   day.year,
                                   day.month,
                                   day.day,
                                   seconds / 3600,
                                   seconds / 60 % 60,
                                   seconds % 60);
    if (decimals > 0) {
        text += fmt::format(".{:0{}}", total % perSecond, decimals);
    }
    return text + "Z";
}

Tdb toTdb(const Utc& time) {
    double tai1 = 0.0;
    double tai2 = 0.0;
    double tt1 = 0.0;
    double tt2 = 0.0;
    // Status +1 means "later than the leap-second table knows"; the value is still the best there is.
    eraUtctai(time.day(), time.fraction(), &tai1, &tai2);
    eraTaitt(tai1, tai2, &tt1, &tt2);
    return Tdb::julian(tt1, tt2 + tdbMinusTt(tt1, tt2) / kSecondsPerDay);
}

Utc toUtc(const Tdb& time) {
    const double tt2 = time.fraction() - tdbMinusTt(time.day(), time.fraction()) / kSecondsPerDay;
    double tai1 = 0.0;
    double tai2 = 0.0;
    double utc1 = 0.0;
    double utc2 = 0.0;
    eraTttai(time.day(), tt2, &tai1, &tai2);
    eraTaiutc(tai1, tai2, &utc1, &utc2);
    return Utc::julian(utc1, utc2);
}

} // namespace pathmark
