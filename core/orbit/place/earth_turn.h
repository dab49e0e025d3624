#pragma once

#include "core/base/angle.h"
#include "core/base/result.h"
#include "core/base/time.h"

#include <filesystem>
#include <vector>

namespace pathmark::orbit {

/// How the Earth really turns: UT1 - UTC and the pole's wandering, day by day.
///
/// Without a table UT1 is UTC and the pole stands still: up to 420 m at the equator, 0.003" at 0.2 au.
class EarthTurn {
  public:
    struct Day {
        double modifiedJulian = 0.0; ///< UTC
        double ut1MinusUtc = 0.0;    ///< seconds
        Angle poleX;
        Angle poleY;
    };

    /// UT1 = UTC.
    EarthTurn() = default;

    /// Reads the table "finals" (IAU 2000) of the Earth orientation service: MJD in columns 8 to 15, the pole in 19 to 27
    /// and 38 to 46, UT1 - UTC in 59 to 68.
    ///
    /// Errors   orbit.not_readable  missing, or no line of it holds a day
    /// Source   The service's own description of the file (readme.finals2000A).
    static Result<EarthTurn> read(const std::filesystem::path& path);

    /// Linear between the table's days; UT1 - UTC 0 and no pole outside of it.
    [[nodiscard]] Day at(const Utc& time) const;

    [[nodiscard]] bool covers(const Utc& time) const;

  private:
    std::vector<Day> days_;
};

} // namespace pathmark::orbit
