#include "core/orbit/formats/one_line.h"

#include "core/base/text.h"
#include "core/orbit/formats/columns.h"
#include "core/orbit/formats/designation.h"

#include <erfa.h>
#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>

namespace pathmark::orbit {
namespace {

/// "K302S": century letter, year, month and day in one character each.
std::optional<Tdb> unpackEpoch(std::string_view packed) {
    const auto digit = [](char c) -> int {
        if (c >= '1' && c <= '9') {
            return c - '0';
        }
        return c >= 'A' && c <= 'V' ? c - 'A' + 10 : -1;
    };
    if (packed.size() != 5 || packed[0] < 'I' || packed[0] > 'L') {
        return std::nullopt;
    }
    const auto year = parseInteger(packed.substr(1, 2));
    const int month = digit(packed[3]);
    const int day = digit(packed[4]);
    double jd = 0.0;
    double mjd = 0.0;
    if (!year || month < 1 || month > 12 || day < 1 ||
        eraCal2jd((packed[0] - 'I' + 18) * 100 + static_cast<int>(*year), month, day, &jd, &mjd) !=
            0) {
        return std::nullopt;
    }
    return Tdb::julian(jd + mjd);
}

std::optional<std::string> packEpoch(const Tdb& epoch) {
    const CalendarDay day = toCalendar(Utc::julian(epoch.day(), epoch.fraction() + 1e-7));
    if (day.fraction > 1e-5 || day.year < 1800 || day.year > 2199) {
        return std::nullopt;
    }
    const auto letter = [](int value) {
        return static_cast<char>(value < 10 ? '0' + value : 'A' + value - 10);
    };
    return fmt::format("{}{:02}{}{}",
                       static_cast<char>('I' + day.year / 100 - 18),
                       day.year % 100,
                       letter(day.month),
                       letter(day.day));
}

/// The axis that both columns allow: inside 3 au the mean motion has more digits than the axis. Where they
/// contradict each other the axis counts.
double semimajorAxis(double printed, const std::optional<double>& motionDegrees) {
    if (!motionDegrees || !(*motionDegrees > 0.0)) {
        return printed;
    }
    const auto axisOf = [](double degrees) {
        const double n = degrees * kRadiansPerDegree;
        return std::cbrt(kSunGm / (n * n));
    };
    // Half a unit of the last digit, and a little less so that rounding gives the same digits again.
    constexpr double halfAxis = 0.4999e-7;
    constexpr double halfMotion = 0.4999e-8;
    const double low = axisOf(*motionDegrees + halfMotion);
    const double high = axisOf(std::max(*motionDegrees - halfMotion, 1e-9));
    const double best = std::clamp(axisOf(*motionDegrees), printed - halfAxis, printed + halfAxis);
    return best >= low && best <= high ? best : printed;
}

/// Largest runoff of each U, arcsec per decade.
std::optional<double> runoffOf(char uncertainty) {
    static constexpr std::array most{
        1.0, 4.4, 19.6, 86.5, 382.0, 1692.0, 7488.0, 33121.0, 146502.0, 650000.0};
    if (uncertainty < '0' || uncertainty > '9') {
        return std::nullopt;
    }
    return most[static_cast<std::size_t>(uncertainty - '0')];
}

} // namespace

Result<Elements> parseOneLine(std::string_view line) {
    Elements e;
    const auto designation = columns(line, 1, 7);
    const auto readable = unpackDesignation(designation);
    if (!readable) {
        return fail(badColumn(line, 1, 7, "packed designation"));
    }
    e.name = *readable;
    e.packed = designation;
    e.brightness.h = parseNumber(columns(line, 9, 13));
    e.brightness.g = parseNumber(columns(line, 15, 19)).value_or(0.15);
    const auto epoch = unpackEpoch(columns(line, 21, 25));
    if (!epoch) {
        return fail(badColumn(line, 21, 25, "packed epoch"));
    }
    e.epoch = *epoch;

    struct Field {
        std::size_t first, last;
        const char* what;
        double low, high;
        double value = 0.0;
    };

    std::array<Field, 6> fields{{{27, 35, "mean anomaly", -360.0, 360.0},
                                 {38, 46, "argument of perihelion", -360.0, 360.0},
                                 {49, 57, "longitude of the node", -360.0, 360.0},
                                 {60, 68, "inclination", 0.0, 180.0},
                                 {71, 79, "eccentricity", 0.0, 0.9999999},
                                 {93, 103, "semimajor axis", 1e-3, 1e5}}};
    for (Field& field : fields) {
        const auto value = parseNumber(columns(line, field.first, field.last));
        if (!value || *value < field.low || *value > field.high) {
            return fail(badColumn(line, field.first, field.last, field.what));
        }
        field.value = *value;
    }
    e.argument = Angle::degrees(fields[1].value);
    e.node = Angle::degrees(fields[2].value);
    e.inclination = Angle::degrees(fields[3].value);
    e.eccentricity = fields[4].value;
    const double a = semimajorAxis(fields[5].value, parseNumber(columns(line, 81, 91)));
    e.perihelionAu = a * (1.0 - e.eccentricity);
    const double anomaly = std::remainder(fields[0].value, 360.0) * kRadiansPerDegree;
    const double motion = std::sqrt(kSunGm / (a * a * a));
    e.perihelionTime = Tdb::julian(e.epoch.day(), e.epoch.fraction() - anomaly / motion);
    e.runoffArcsecPerDecade = line.size() > 105 ? runoffOf(line[105]) : std::nullopt;
    return e;
}

OneLineNotes parseOneLineNotes(std::string_view line) {
    OneLineNotes n;
    n.uncertainty = line.size() > 105 ? line[105] : ' ';
    n.reference = columns(line, 108, 116);
    n.observations = static_cast<int>(parseInteger(columns(line, 118, 122)).value_or(0));
    n.oppositions = static_cast<int>(parseInteger(columns(line, 124, 126)).value_or(0));
    n.arc = columns(line, 128, 136);
    n.rms = columns(line, 138, 141);
    n.perturbers = columns(line, 143, 149);
    n.computer = columns(line, 151, 160);
    for (const char c : columns(line, 162, 165)) {
        const std::size_t digit =
            std::string_view("0123456789abcdef")
                .find(static_cast<char>(std::tolower(static_cast<unsigned char>(c))));
        n.flags = 16 * n.flags + static_cast<unsigned>(digit % 16);
    }
    n.title = columns(line, 167, 194);
    n.lastObserved = columns(line, 195, 202);
    return n;
}

Result<std::string> toOneLine(const Elements& e, const OneLineNotes& n) {
    const std::string packed = e.packed.empty() ? packDesignation(e.name).value_or("") : e.packed;
    const auto epoch = packEpoch(e.epoch);
    if (packed.empty() || packed.size() > 7 || !epoch || !(e.eccentricity < 0.99999995)) {
        return fail(ErrorId::OrbitBadLine,
                    "The one-line format holds ellipses at midnight of a day between 1800 and "
                    "2199, under a "
                    "packed designation; write this orbit as a full-precision table.",
                    e.name);
    }
    const double a = e.perihelionAu / (1.0 - e.eccentricity);
    const double motion = std::sqrt(kSunGm / (a * a * a)) / kRadiansPerDegree;
    const double days = e.epoch.secondsSince(e.perihelionTime) / kSecondsPerDay;
    const auto turn = [](double degrees) {
        // What would be printed as 360 is 0.
        const double positive = degrees - 360.0 * std::floor(degrees / 360.0);
        return positive > 359.999995 ? 0.0 : positive;
    };
    const auto optional = [](const std::optional<double>& value) {
        return value ? fmt::format("{:5.2f}", *value) : std::string(5, ' ');
    };
    return fmt::format(
        "{:<7} {} {} {} {:9.5f}  {:9.5f}  {:9.5f}  {:9.5f}  {:9.7f} {:11.8f} {:11.7f}  "
        "{} {:<9} {:5} {:3} {:>9} {:>4} {:<7} {:<10} {:04X} {:<28}{:>8}",
        packed,
        optional(e.brightness.h),
        e.brightness.h ? fmt::format("{:5.2f}", e.brightness.g) : std::string(5, ' '),
        *epoch,
        turn(motion * days),
        turn(e.argument.degrees()),
        turn(e.node.degrees()),
        e.inclination.degrees(),
        e.eccentricity,
        motion,
        a,
        n.uncertainty,
        n.reference,
        n.observations,
        n.oppositions,
        n.arc,
        n.rms,
        n.perturbers,
        n.computer,
        n.flags & 0xffffU,
        n.title.empty() ? e.name : n.title,
        n.lastObserved);
}

} // namespace pathmark::orbit
