#pragma once

#include "core/base/result.h"

#include <compare>
#include <string>
#include <string_view>

namespace pathmark {

constexpr double kSecondsPerDay = 86400.0;

/// An instant in the time scale named by the type, as a Julian date of that scale in two parts, so
/// that it keeps nanoseconds. UTC counts 86400 s a day (no leap second is ever observed in 2030).
template <typename Scale>
class Instant {
  public:
    constexpr Instant() = default;

    static constexpr Instant julian(double day, double fraction = 0.0) {
        return Instant(day, fraction);
    }

    [[nodiscard]] constexpr double day() const { return day_; }

    [[nodiscard]] constexpr double fraction() const { return fraction_; }

    [[nodiscard]] constexpr double julian() const { return day_ + fraction_; }

    [[nodiscard]] constexpr Instant plusSeconds(double seconds) const {
        return Instant(day_, fraction_ + seconds / kSecondsPerDay);
    }

    /// Seconds from `earlier` to this instant.
    [[nodiscard]] constexpr double secondsSince(const Instant& earlier) const {
        return ((day_ - earlier.day_) + (fraction_ - earlier.fraction_)) * kSecondsPerDay;
    }

    friend constexpr bool operator<(const Instant& a, const Instant& b) {
        return a.secondsSince(b) < 0.0;
    }

    friend constexpr bool operator==(const Instant& a, const Instant& b) {
        return a.secondsSince(b) == 0.0;
    }

  private:
    constexpr Instant(double day, double fraction) : day_(day), fraction_(fraction) {}

    double day_ = 0.0;
    double fraction_ = 0.0;
};

using Utc = Instant<struct UtcScale>;
using Tdb = Instant<struct TdbScale>;

/// Reads "2031-04-05T06:07:08.25", "2031-04-05 06:07:08", "2031/04/05T...", a trailing Z, or a date.
///
/// Errors   base.bad_time  anything else, or a field out of range
/// Accuracy 1 microsecond.
Result<Utc> parseUtc(std::string_view text);

/// "2031-04-05T06:07:08.250Z" with the given number of decimals of a second, rounded.
std::string toIso(const Utc& time, int decimals = 3);

/// TAI - UTC at a time, seconds; of a later date than the table knows, as on its last day.
double taiMinusUtc(const Utc& time);

/// The time so many seconds of a steady clock later: a leap second between the two counts.
Utc plusElapsed(const Utc& time, double seconds);

/// Calendar date and day fraction, e.g. {2031, 4, 5, 0.25}.
struct CalendarDay {
    int year = 0;
    int month = 0;
    int day = 0;
    double fraction = 0.0;
};

CalendarDay toCalendar(const Utc& time);

/// UTC to TDB at the geocentre (the site's own part is under 3 microseconds).
///
/// Errors   None: dates after the last known leap second keep TAI-UTC of that one.
/// Source   ERFA eraUtctai, eraTaitt, eraDtdb.
Tdb toTdb(const Utc& time);
Utc toUtc(const Tdb& time);

} // namespace pathmark
