#include "core/orbit/one_line.h"

#include "core/base/text.h"
#include "core/orbit/designation.h"

#include <erfa.h>
#include <fmt/format.h>

#include <array>
#include <cmath>

namespace pathmark::orbit {
namespace {

/// One field by its columns, counted from 1 as the format does.
std::string_view columns(std::string_view line, std::size_t first, std::size_t last) {
    return first > line.size() ? std::string_view()
                               : trim(line.substr(first - 1, last - first + 1));
}

Error badColumn(std::string_view line, std::size_t first, std::size_t last, std::string_view what) {
    return {ErrorId::OrbitBadLine,
            fmt::format("columns {} to {} should hold the {}, not '{}'",
                        first,
                        last,
                        what,
                        columns(line, first, last)),
            {}};
}

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
    const double a = fields[5].value;
    e.perihelionAu = a * (1.0 - e.eccentricity);
    const double anomaly = std::remainder(fields[0].value, 360.0) * kRadiansPerDegree;
    const double motion = std::sqrt(kSunGm / (a * a * a));
    e.perihelionTime = Tdb::julian(e.epoch.day(), e.epoch.fraction() - anomaly / motion);
    return e;
}

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

} // namespace pathmark::orbit
