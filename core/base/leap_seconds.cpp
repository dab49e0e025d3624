#include "core/base/leap_seconds.h"

#include "core/base/text.h"

#include <erfa.h>
#include <erfaextra.h>
#include <fmt/format.h>

#include <cmath>
#include <fstream>

namespace pathmark {
namespace {

constexpr double kStartOf1900 = 2415020.5;

Utc fromSecondsOf1900(double seconds) {
    const double days = std::floor(seconds / kSecondsPerDay);
    return Utc::julian(kStartOf1900 + days, (seconds - days * kSecondsPerDay) / kSecondsPerDay);
}

/// "3692217600 37 # 1 Jan 2017"
bool parseEntry(std::string_view line, LeapSeconds& table) {
    const std::string_view fields = trim(line.substr(0, line.find('#')));
    const std::size_t gap = fields.find_first_of(" \t");
    if (gap == std::string_view::npos) {
        return false;
    }
    const auto seconds = parseNumber(fields.substr(0, gap));
    const auto difference = parseNumber(fields.substr(gap));
    if (!seconds || !difference) {
        return false;
    }
    const CalendarDay day = toCalendar(fromSecondsOf1900(*seconds));
    const LeapSeconds::Entry entry{day.year, day.month, *difference};
    const bool later =
        table.entries.empty() ||
        table.entries.back().year * 12 + table.entries.back().month < entry.year * 12 + entry.month;
    table.entries.push_back(entry);
    return later && day.day == 1;
}

} // namespace

Result<LeapSeconds> readLeapSeconds(const std::filesystem::path& path) {
    std::ifstream stream(path);
    LeapSeconds table;
    std::string line;
    for (int number = 1; std::getline(stream, line); ++number) {
        const std::string_view text = trim(line);
        if (text.starts_with("#@")) {
            table.expires = fromSecondsOf1900(parseNumber(text.substr(2)).value_or(0.0));
        } else if (!text.empty() && text.front() != '#' && !parseEntry(text, table)) {
            return fail(ErrorId::BaseBadTime,
                        fmt::format("Line {} is no entry of a leap-second table: '{}'.",
                                    number,
                                    text.substr(0, 60)),
                        path.string());
        }
    }
    if (table.entries.empty()) {
        return fail(ErrorId::BaseBadTime,
                    "The leap-second table is missing or holds no entry.",
                    path.string());
    }
    return table;
}

void useLeapSeconds(const LeapSeconds& table) {
    // Before 1972 UTC drifted; the library's own entries of that time, which it counts on, stay.
    eraLEAPSECOND* built = nullptr;
    const int count = eraGetLeapSeconds(&built);
    std::vector<eraLEAPSECOND> entries;
    for (int i = 0; i < count && built[i].iyear < 1972; ++i) {
        entries.push_back(built[i]);
    }
    for (const auto& e : table.entries) {
        entries.push_back({e.year, e.month, e.taiMinusUtc});
    }
    // The library keeps the pointer, not a copy.
    static std::vector<eraLEAPSECOND> kept;
    std::swap(kept, entries);
    eraSetLeapSeconds(kept.data(), static_cast<int>(kept.size()));
}

} // namespace pathmark
