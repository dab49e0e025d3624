#pragma once

#include "core/base/result.h"
#include "core/base/time.h"

#include <filesystem>
#include <vector>

namespace pathmark {

/// TAI - UTC from each date on, and until when the table is known to be complete.
struct LeapSeconds {
    struct Entry {
        int year = 0;
        int month = 0;
        double taiMinusUtc = 0.0;
    };

    std::vector<Entry> entries;
    Utc expires; ///< no leap second other than the table's can come before this
};

/// Reads a table in the public format of the Earth Orientation Center (leap-seconds.list).
///
/// Errors   base.bad_time  missing, or a line that is neither comment nor entry; names the line
Result<LeapSeconds> readLeapSeconds(const std::filesystem::path& path);

/// Makes the table the one that toTdb and toUtc use; to be called once, before other threads start.
void useLeapSeconds(const LeapSeconds& table);

} // namespace pathmark
