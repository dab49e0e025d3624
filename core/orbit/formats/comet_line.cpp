#include "core/orbit/formats/comet_line.h"

#include "core/orbit/formats/columns.h"
#include "core/orbit/formats/designation.h"

#include <erfa.h>

#include <array>
#include <cmath>

namespace pathmark::orbit {

Result<Elements> parseCometLine(std::string_view line) {
    Elements e;

    struct Field {
        std::size_t first, last;
        const char* what;
        double value = 0.0;
    };

    std::array<Field, 8> fields{{{15, 18, "year of perihelion"},
                                 {20, 21, "month of perihelion"},
                                 {23, 29, "day of perihelion"},
                                 {31, 39, "perihelion distance"},
                                 {42, 49, "eccentricity"},
                                 {52, 59, "argument of perihelion"},
                                 {62, 69, "longitude of the node"},
                                 {72, 79, "inclination"}}};
    for (Field& field : fields) {
        const auto value = parseNumber(columns(line, field.first, field.last));
        if (!value) {
            return fail(badColumn(line, field.first, field.last, field.what));
        }
        field.value = *value;
    }
    double jd = 0.0;
    double mjd = 0.0;
    const double day = std::floor(fields[2].value);
    if (eraCal2jd(static_cast<int>(fields[0].value),
                  static_cast<int>(fields[1].value),
                  static_cast<int>(day),
                  &jd,
                  &mjd) != 0 ||
        !(fields[3].value > 0.0) || fields[4].value < 0.0) {
        return fail(badColumn(line, 15, 49, "perihelion"));
    }
    // Packed designation in 6 to 12 with its type in 5, or a periodic number in 1 to 4.
    const auto number = columns(line, 1, 5);
    const auto designation = columns(line, 5, 12);
    if (const auto readable = unpackDesignation(designation)) {
        e.name = *readable;
        e.packed = designation;
    } else if (const auto periodic = unpackDesignation(number)) {
        e.name = *periodic;
        e.packed = number;
    } else {
        return fail(badColumn(line, 1, 12, "packed designation"));
    }
    e.perihelionTime = Tdb::julian(jd + mjd, fields[2].value - day);
    e.perihelionAu = fields[3].value;
    e.eccentricity = fields[4].value;
    e.argument = Angle::degrees(fields[5].value);
    e.node = Angle::degrees(fields[6].value);
    e.inclination = Angle::degrees(fields[7].value);
    e.epoch = e.perihelionTime;
    const auto epoch = columns(line, 82, 89);
    if (epoch.size() == 8) {
        const auto packedDate = parseInteger(epoch);
        if (packedDate && eraCal2jd(static_cast<int>(*packedDate / 10000),
                                    static_cast<int>(*packedDate / 100 % 100),
                                    static_cast<int>(*packedDate % 100),
                                    &jd,
                                    &mjd) == 0) {
            e.epoch = Tdb::julian(jd + mjd);
        }
    }
    e.brightness.m1 = parseNumber(columns(line, 92, 95));
    if (const auto slope = parseNumber(columns(line, 97, 100))) {
        e.brightness.k1 = 2.5 * *slope;
    }
    return e;
}

Result<std::string> toCometLine(const Elements& e, const std::string& title) {
    std::string packed = e.packed.empty() ? packDesignation(e.name).value_or("") : e.packed;
    if (packed.size() != 5 && packed.size() != 8) {
        return fail(ErrorId::OrbitBadLine, "A comet's line needs a packed designation.", e.name);
    }
    packed = packed.size() == 5 ? fmt::format("{:<12}", packed) : fmt::format("{:>12}", packed);
    // Rounded before it is taken apart: 29.99996 is the 30th.
    constexpr double step = 1e-4;
    const CalendarDay day =
        toCalendar(Utc::julian(e.perihelionTime.day(), e.perihelionTime.fraction() + 0.5 * step));
    const double dayOfMonth = day.day + std::floor(day.fraction / step + 1e-6) * step;
    const CalendarDay epoch = toCalendar(Utc::julian(e.epoch.day(), e.epoch.fraction() + 1e-7));
    return fmt::format("{}  {:04} {:02} {:07.4f} {:9.6f}  {:8.6f}  {:8.4f}  {:8.4f}  {:8.4f}  "
                       "{:04}{:02}{:02}  {:>4} {:>4}  {}",
                       packed,
                       day.year,
                       day.month,
                       dayOfMonth,
                       e.perihelionAu,
                       e.eccentricity,
                       e.argument.degrees(),
                       e.node.degrees(),
                       e.inclination.degrees(),
                       epoch.year,
                       epoch.month,
                       epoch.day,
                       e.brightness.m1 ? fmt::format("{:4.1f}", *e.brightness.m1) : "",
                       e.brightness.m1 ? fmt::format("{:4.1f}", e.brightness.k1 / 2.5) : "",
                       title);
}

} // namespace pathmark::orbit
