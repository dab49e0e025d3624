#include "core/orbit/formats/eighty_column.h"

#include "core/base/sexagesimal.h"
#include "core/orbit/formats/columns.h"
#include "core/orbit/formats/designation.h"
#include "core/orbit/motion/planets.h"

#include <erfa.h>

#include <array>
#include <cctype>
#include <cmath>

namespace pathmark::orbit {
namespace {

struct CatalogueLetter {
    char letter;
    const char* name;
};

/// Source   Minor Planet Center, "Astrometric Catalog Codes", with the names that ADES uses.
constexpr std::array kCatalogues{CatalogueLetter{'a', "USNOA1"}, CatalogueLetter{'b', "USNOSA1"},
                                 CatalogueLetter{'c', "USNOA2"}, CatalogueLetter{'d', "USNOSA2"},
                                 CatalogueLetter{'e', "UCAC1"},  CatalogueLetter{'f', "Tyc1"},
                                 CatalogueLetter{'g', "Tyc2"},   CatalogueLetter{'h', "GSC1.0"},
                                 CatalogueLetter{'i', "GSC1.1"}, CatalogueLetter{'j', "GSC1.2"},
                                 CatalogueLetter{'k', "GSC2.2"}, CatalogueLetter{'l', "ACT"},
                                 CatalogueLetter{'m', "GSCACT"}, CatalogueLetter{'n', "SDSS8"},
                                 CatalogueLetter{'o', "USNOB1"}, CatalogueLetter{'p', "PPM"},
                                 CatalogueLetter{'q', "UCAC4"},  CatalogueLetter{'r', "UCAC2"},
                                 CatalogueLetter{'t', "PPMXL"},  CatalogueLetter{'u', "UCAC3"},
                                 CatalogueLetter{'v', "NOMAD"},  CatalogueLetter{'w', "CMC14"},
                                 CatalogueLetter{'x', "Hip2"},   CatalogueLetter{'y', "Hip1"},
                                 CatalogueLetter{'z', "GSC"},    CatalogueLetter{'C', "SAO"},
                                 CatalogueLetter{'L', "2MASS"},  CatalogueLetter{'M', "GSC2.3"},
                                 CatalogueLetter{'N', "SDSS7"},  CatalogueLetter{'Q', "CMC15"},
                                 CatalogueLetter{'S', "URAT1"},  CatalogueLetter{'T', "URAT2"},
                                 CatalogueLetter{'U', "Gaia1"},  CatalogueLetter{'V', "Gaia2"},
                                 CatalogueLetter{'W', "Gaia3"},  CatalogueLetter{'X', "Gaia3E"},
                                 CatalogueLetter{'Y', "UCAC5"},  CatalogueLetter{'Z', "ATLAS2"}};

int decimalsOf(std::string_view text) {
    const std::size_t point = text.find('.');
    return point == std::string_view::npos ? 0 : static_cast<int>(text.size() - point - 1);
}

/// "2031 04 05.254902"
bool parseDate(std::string_view line, Observation& o) {
    const auto year = parseInteger(columns(line, 16, 19));
    const auto month = parseInteger(columns(line, 21, 22));
    const std::string_view dayText = columns(line, 24, 32);
    const auto day = parseNumber(dayText);
    double jd = 0.0;
    double mjd = 0.0;
    if (!year || !month || !day || *day < 1.0 ||
        eraCal2jd(static_cast<int>(*year),
                  static_cast<int>(*month),
                  static_cast<int>(std::floor(*day)),
                  &jd,
                  &mjd) != 0) {
        return false;
    }
    o.time = Utc::julian(jd + mjd, *day - std::floor(*day));
    o.notes.dayDecimals = decimalsOf(dayText);
    return true;
}

/// Three fields of a sexagesimal number at fixed columns, the last two allowed to be missing.
std::optional<double> parseSixty(std::string_view text, int& decimals) {
    const auto fields = split(text, ' ');
    double value = 0.0;
    double unit = 1.0;
    decimals = 0;
    int count = 0;
    for (const std::string_view field : fields) {
        if (field.empty()) {
            continue;
        }
        const auto number = parseNumber(field);
        if (!number || *number < 0.0 || (count > 0 && *number >= 60.0) || ++count > 3) {
            return std::nullopt;
        }
        value += unit * *number;
        unit /= 60.0;
        decimals = decimalsOf(field);
    }
    // Decimals of minutes are written back as seconds.
    decimals = count == 3 ? decimals : 0;
    return count >= 2 ? std::optional(value) : std::nullopt;
}

bool parsePlace(std::string_view line, Observation& o) {
    const auto hours = parseSixty(columns(line, 33, 44), o.notes.raDecimals);
    std::string_view declination = columns(line, 45, 56);
    if (declination.empty() || (declination.front() != '+' && declination.front() != '-')) {
        return false;
    }
    const double sign = declination.front() == '-' ? -1.0 : 1.0;
    const auto degrees = parseSixty(declination.substr(1), o.notes.decDecimals);
    if (!hours || !degrees || *hours >= 24.0 || *degrees > 90.0) {
        return false;
    }
    o.sky = skyDegrees(15.0 * *hours, sign * *degrees);
    return true;
}

std::string modeOf(char kind) {
    switch (kind) {
    case 'C':
    case 'S':
    case 'V': return "CCD";
    case 'B': return "CMO";
    case 'P':
    case 'A':
    case 'N': return "PHO";
    case 'T': return "MER";
    case 'M': return "MIC";
    case 'E': return "OCC";
    default: return "UNK";
    }
}

Result<Observation> parseHead(std::string_view line) {
    Observation o;
    if (line.size() < 80 || (line.size() > 80 && !trim(line.substr(80)).empty())) {
        return fail(ErrorId::OrbitBadLine,
                    fmt::format("an observation has 80 columns, this line has {}", line.size()));
    }
    const auto number = columns(line, 1, 5);
    const auto provisional = columns(line, 6, 12);
    if (const auto readable = unpackDesignation(number)) {
        o.body = *readable;
        o.ownName = provisional;
    } else if (const auto comet = unpackDesignation(columns(line, 5, 12));
               comet && line[4] != ' ') {
        o.body = *comet;
    } else if (const auto named = unpackDesignation(provisional); named && number.empty()) {
        o.body = *named;
    } else if (!provisional.empty() && number.empty()) {
        o.body = provisional;
        o.ownName = provisional;
    } else {
        return fail(badColumn(line, 1, 12, "packed designation"));
    }
    o.notes.discovery = line[12];
    o.notes.note = line[13];
    o.notes.kind = line[14];
    o.mode = modeOf(line[14]);
    o.station = columns(line, 78, 80);
    o.notes.reference = line.substr(72, 5);
    if (!parseDate(line, o)) {
        return fail(badColumn(line, 16, 32, "date"));
    }
    if (o.station.size() != 3) {
        return fail(badColumn(line, 78, 80, "observatory code"));
    }
    return o;
}

Result<Observation> parseSatelliteLine(Observation o, std::string_view second) {
    Vec3 place{};
    o.notes.astronomicalUnits = second[32] == '2';
    constexpr std::array<std::size_t, 3> start{35, 47, 59};
    for (std::size_t i = 0; i < 3; ++i) {
        std::string text(columns(second, start[i], start[i] + 10));
        text.erase(std::remove(text.begin(), text.end(), ' '), text.end());
        const auto value = parseNumber(text);
        if (!value) {
            return fail(badColumn(second, start[i], start[i] + 10, "spacecraft's place"));
        }
        place[i] = *value * (o.notes.astronomicalUnits ? kKilometresPerAu : 1.0);
    }
    o.observer = ObserverPlace{place, std::nullopt};
    return o;
}

Result<Observation> parseRovingLine(Observation o, std::string_view second) {
    std::array<double, 3> place{};
    constexpr std::array<std::array<std::size_t, 2>, 3> fields{{{35, 44}, {46, 55}, {57, 61}}};
    for (std::size_t i = 0; i < 3; ++i) {
        const auto value = parseNumber(columns(second, fields[i][0], fields[i][1]));
        if (!value) {
            return fail(badColumn(second, fields[i][0], fields[i][1], "observer's place"));
        }
        place[i] = *value;
    }
    o.observer = ObserverPlace{std::nullopt, place};
    return o;
}

/// Columns 1 to 12 of a body.
Result<std::string> designationColumns(const Observation& o) {
    const auto packed = packDesignation(o.body);
    if (!packed) {
        if (o.body == o.ownName && o.body.size() <= 7 && !o.body.empty()) {
            return fmt::format("     {:<7}", o.body);
        }
        return fail(ErrorId::OrbitBadLine,
                    "The designation has no packed form; this body can only be written in ADES.",
                    o.body);
    }
    switch (packed->size()) {
    case 5: return fmt::format("{:<5}{:<7}", *packed, o.ownName.substr(0, 7));
    case 8: return fmt::format("{:>12}", *packed);
    default: return fmt::format("{:5}{:<7}", "", *packed);
    }
}

std::string dateColumns(const Utc& time, int decimals) {
    const double step = std::pow(10.0, -decimals);
    const CalendarDay day = toCalendar(Utc::julian(time.day(), time.fraction() + 0.5 * step));
    const auto ticks = static_cast<long long>(std::floor(day.fraction / step + 1e-9));
    return fmt::format(
        "{:<17}",
        decimals == 0
            ? fmt::format("{:04} {:02} {:02}", day.year, day.month, day.day)
            : fmt::format(
                  "{:04} {:02} {:02}.{:0{}}", day.year, day.month, day.day, ticks, decimals));
}

std::string secondLine(const Observation& o, const std::string& first) {
    std::string line(80, ' ');
    const auto put = [&](std::size_t column, const std::string& text) {
        line.replace(column - 1, text.size(), text);
    };
    put(1, first.substr(0, 14));
    put(16, first.substr(15, 17));
    put(78, o.station);
    if (o.observer->geocentricKilometres) {
        put(15, "s");
        put(33, o.notes.astronomicalUnits ? "2" : "1");
        for (std::size_t i = 0; i < 3; ++i) {
            const double v = (*o.observer->geocentricKilometres)[i] /
                             (o.notes.astronomicalUnits ? kKilometresPerAu : 1.0);
            const std::string digits = o.notes.astronomicalUnits
                                           ? fmt::format("{:10.8f}", std::abs(v))
                                           : fmt::format("{:10.4f}", std::abs(v));
            put(35 + 12 * i, (v < 0.0 ? "-" : "+") + digits);
        }
    } else {
        put(15, "v");
        put(33, "1");
        const auto& place = *o.observer->geodetic;
        put(35, fmt::format("{:10.6f}", place[0]));
        put(46, fmt::format("{:+10.6f}", place[1]));
        put(57, fmt::format("{:5.0f}", place[2]));
    }
    return line;
}

} // namespace

std::string starCatalogueOf(char letter) {
    for (const CatalogueLetter& c : kCatalogues) {
        if (c.letter == letter) {
            return c.name;
        }
    }
    return {};
}

char starCatalogueLetter(std::string_view name) {
    for (const CatalogueLetter& c : kCatalogues) {
        if (c.name == name) {
            return c.letter;
        }
    }
    return ' ';
}

std::optional<EightyColumnKind> eightyColumnKind(std::string_view line) {
    if (line.size() < 15) {
        return std::nullopt;
    }
    switch (line[14]) {
    case 'S': return EightyColumnKind::Satellite;
    case 'V': return EightyColumnKind::Roving;
    case 'R': return EightyColumnKind::Radar;
    case 'X':
    case 'x': return EightyColumnKind::Replaced;
    case 's':
    case 'v':
    case 'r': return std::nullopt;
    default: return EightyColumnKind::Optical;
    }
}

Result<Observation> parseEightyColumn(std::string_view line, std::string_view second) {
    auto head = parseHead(line);
    if (!head) {
        return head;
    }
    Observation o = std::move(*head);
    const auto kind = eightyColumnKind(line);
    const bool two = kind == EightyColumnKind::Satellite || kind == EightyColumnKind::Roving ||
                     kind == EightyColumnKind::Radar;
    if (two &&
        (second.size() < 80 || second[14] != std::tolower(static_cast<unsigned char>(line[14])))) {
        return fail(
            ErrorId::OrbitBadLine,
            fmt::format("the second line of a record with '{}' in column 15 is missing", line[14]));
    }
    if (kind == EightyColumnKind::Radar) {
        o.radar = RadarReturn{std::string(line), std::string(second)};
        return o;
    }
    if (!parsePlace(line, o)) {
        return fail(badColumn(line, 33, 56, "right ascension and declination"));
    }
    const std::string_view magnitude = columns(line, 66, 70);
    o.magnitude = parseNumber(magnitude);
    if (!o.magnitude && !magnitude.empty()) {
        return fail(badColumn(line, 66, 70, "magnitude"));
    }
    o.notes.magnitudeDecimals = decimalsOf(magnitude);
    o.band = columns(line, 71, 71);
    o.starCatalogue = starCatalogueOf(line[71]);
    if (kind == EightyColumnKind::Satellite) {
        return parseSatelliteLine(std::move(o), second);
    }
    return kind == EightyColumnKind::Roving ? parseRovingLine(std::move(o), second) : o;
}

Result<std::string> toEightyColumn(const Observation& o) {
    if (o.radar) {
        return o.radar->firstLine + "\n" + o.radar->secondLine;
    }
    auto designation = designationColumns(o);
    if (!designation) {
        return designation;
    }
    char kind = o.notes.kind;
    if (o.observer) {
        kind = o.observer->geocentricKilometres ? 'S' : 'V';
    }
    const int decimals = o.notes.magnitudeDecimals;
    const std::string magnitude =
        o.magnitude
            ? fmt::format(
                  "{:<5}",
                  fmt::format(
                      "{:{}.{}f}", *o.magnitude, 3 + decimals - (decimals == 0 ? 1 : 0), decimals))
            : std::string(5, ' ');
    const std::string line = fmt::format("{}{}{}{}{}{:<12}{:<12}{:9}{}{:1}{}{:<5}{:>3}",
                                         *designation,
                                         o.notes.discovery,
                                         o.notes.note,
                                         kind,
                                         dateColumns(o.time, o.notes.dayDecimals),
                                         toHours(o.sky.longitude, o.notes.raDecimals),
                                         toDegrees(o.sky.latitude, o.notes.decDecimals),
                                         "",
                                         magnitude,
                                         o.band.substr(0, 1),
                                         starCatalogueLetter(o.starCatalogue),
                                         o.notes.reference.substr(0, 5),
                                         o.station);
    return o.observer ? line + "\n" + secondLine(o, line) : line;
}

} // namespace pathmark::orbit
