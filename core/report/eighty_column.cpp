#include "core/base/sexagesimal.h"
#include "core/orbit/designation.h"
#include "core/report/writers.h"

#include <fmt/format.h>

#include <cmath>

namespace pathmark::report {
namespace {

/// Columns 1 to 12: number in 1-5, or provisional designation in 6-12; comets have their type in 5.
Result<std::string> designationColumns(const std::string& body) {
    const auto packed = orbit::packDesignation(body);
    if (!packed) {
        return fail(ErrorId::ReportNothingToReport,
                    "The designation has no packed form; report this body in ADES.",
                    body);
    }
    switch (packed->size()) {
    case 5: return fmt::format("{:<12}", *packed);
    case 8: return fmt::format("{:>12}", *packed);
    default: return fmt::format("{:5}{:<7}", "", *packed);
    }
}

/// "2031 04 05.254902" in 17 columns: six decimals of a day.
std::string dateColumns(const Utc& time) {
    constexpr double step = 1e-6;
    CalendarDay day = toCalendar(Utc::julian(time.day(), time.fraction() + 0.5 * step));
    const auto ticks = static_cast<long long>(std::floor(day.fraction / step + 1e-9));
    return fmt::format("{:04} {:02} {:02}.{:06}", day.year, day.month, day.day, ticks);
}

/// The catalogue's letter in column 72.
char catalogueLetter(const std::string& catalogue) {
    if (catalogue == "Gaia3" || catalogue == "Gaia3E") {
        return catalogue == "Gaia3" ? 'X' : 'W';
    }
    return catalogue == "Gaia2" ? 'V' : ' ';
}

} // namespace

Result<std::string> eightyColumnLine(const std::string& stationCode, const Observation& o) {
    auto designation = designationColumns(o.body);
    if (!designation) {
        return designation;
    }
    const std::string magnitude = o.magnitude
                                      ? fmt::format("{:5.2f}{}", *o.magnitude, o.band.substr(0, 1))
                                      : std::string(6, ' ');
    const char note = o.stackedFrames > 1 ? 'K' : ' ';
    // 13 discovery, 14 note, 15 kind, 16-32 date, 33-44 RA, 45-56 Dec, 66-71 magnitude, 72 catalogue, 78-80
    return fmt::format("{} {}C{}{}{}{:9}{}{}{:5}{:>3}",
                       *designation,
                       note,
                       dateColumns(o.time),
                       toHours(o.sky.longitude, 3),
                       toDegrees(o.sky.latitude, 2),
                       "",
                       magnitude,
                       catalogueLetter(o.catalogue),
                       "",
                       stationCode);
}

Result<std::string> toEightyColumn(const ReportHead& head,
                                   std::span<const Observation> observations) {
    if (observations.empty()) {
        return fail(ErrorId::ReportNothingToReport,
                    "No measurement is kept; keep at least one before reporting.");
    }
    std::string text = "COD " + head.stationCode + "\n";
    const auto people = [&](const char* key, const std::vector<std::string>& names) {
        for (const std::string& person : names) {
            text += fmt::format("{} {}\n", key, person);
        }
    };
    people("OBS", head.observers);
    people("MEA", head.measurers);
    text += fmt::format("TEL {}{}{}\n",
                        head.aperture.empty() ? "" : head.aperture + "-m ",
                        head.telescopeDesign.empty() ? "Reflector" : head.telescopeDesign,
                        head.detector.empty() ? " + CCD" : " + " + head.detector);
    if (!observations.front().catalogue.empty()) {
        text += "NET " + observations.front().catalogue + "\n";
    }
    for (const Observation& observation : observations) {
        auto line = eightyColumnLine(head.stationCode, observation);
        if (!line) {
            return line;
        }
        text += *line + "\n";
    }
    return text;
}

} // namespace pathmark::report
