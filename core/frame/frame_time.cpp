#include "core/frame/frame_time.h"

#include "core/base/text.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <string_view>
#include <vector>

namespace pathmark::frame {
namespace {

constexpr double kMjdZero = 2400000.5;
constexpr double kUnixZero = 2440587.5;

enum class Role { Middle, Start, End };

struct Moment {
    Utc time;
    std::string keywords;
    bool fine = false; ///< has fractions of a second
    bool inLeapSecond = false;
    std::string note;     ///< what is strange about it
    bool isWhole = false; ///< is written to the second alone
};

/// Further apart than this, two keywords do not say the same: clocks are written to the second, and days to five decimals.
constexpr double kAgreeSeconds = 2.0;

const char* sectionOf(Role role) {
    switch (role) {
    case Role::Middle: return "time.middle";
    case Role::Start: return "time.start";
    case Role::End: return "time.end";
    }
    return "";
}

const char* clockSectionOf(Role role) {
    switch (role) {
    case Role::Middle: return "time.middle_clock";
    case Role::Start: return "time.start_clock";
    case Role::End: return "time.end_clock";
    }
    return "";
}

bool isFine(const Utc& time) {
    const double seconds = time.fraction() * kSecondsPerDay;
    return std::abs(seconds - std::round(seconds)) > 1e-4;
}

/// A time of day in its usual clothes: 21:02:11.5, 21 02 11, 21h02m11s, 21-02-11, 210211.5; or a bare number.
std::optional<double> clockSeconds(std::string_view text, const std::string& unit) {
    std::string words(trim(text));
    if (const auto bare = parseNumber(words)) {
        const std::size_t point = words.find('.');
        const std::size_t digits = point == std::string::npos ? words.size() : point;
        if (digits == 6) { // 210211.5
            const double whole = std::floor(*bare / 1e4);
            const double minutes = std::floor((*bare - 1e4 * whole) / 100.0);
            return 3600.0 * whole + 60.0 * minutes + std::fmod(*bare, 100.0);
        }
        const bool seconds = unit == "s" || *bare >= 24.0;
        return seconds ? *bare : 3600.0 * *bare;
    }
    std::replace(words.begin(), words.end(), ',', '.');
    for (char& c : words) {
        if ((c < '0' || c > '9') && c != '.') {
            c = ' ';
        }
    }
    std::array<double, 3> fields{};
    std::size_t count = 0;
    for (const std::string_view part : split(words, ' ')) {
        if (trim(part).empty()) {
            continue;
        }
        const auto number = parseNumber(part);
        if (!number || count == 3) {
            return std::nullopt;
        }
        fields[count++] = *number;
    }
    const bool endOfDay = fields[0] == 24.0 && fields[1] == 0.0 && fields[2] == 0.0;
    if (count < 2 || (fields[0] >= 24.0 && !endOfDay) || fields[1] >= 60.0 || fields[2] >= 61.0) {
        return std::nullopt;
    }
    return 3600.0 * fields[0] + 60.0 * fields[1] + fields[2];
}

/// Midnight of a date: 2031-04-05, 2031/04/05, 2031.04.05, 20310405, or 05/04/99 of the old standard.
std::optional<Utc> dateOf(std::string_view text) {
    std::string words(trim(text));
    std::replace(words.begin(), words.end(), '.', '-');
    const auto parts = split(words, '/');
    if (parts.size() == 3 && parts[0].size() == 2 && parts[2].size() == 2) {
        words = fmt::format("19{}-{}-{}", parts[2], parts[1], parts[0]);
    } else if (words.size() == 8 && parseInteger(words)) {
        words = fmt::format("{}-{}-{}", words.substr(0, 4), words.substr(4, 2), words.substr(6, 2));
    }
    const auto time = parseUtc(words);
    return time ? std::optional(*time) : std::nullopt;
}

/// Takes "Z", "+02:00", "+0200" or "-03" off the end of a clock; seconds to be taken off the time.
double takeOffset(std::string& clock) {
    while (!clock.empty() && (clock.back() == 'Z' || clock.back() == 'z' || clock.back() == ' ')) {
        clock.pop_back();
    }
    // A clock may be written with hyphens: an offset stands behind one with colons only.
    const std::size_t sign = clock.find_last_of("+-");
    if (sign == std::string::npos || clock.find(':') > sign) {
        return 0.0;
    }
    std::string digits = clock.substr(sign + 1);
    std::erase(digits, ':');
    const auto number = parseInteger(digits);
    if (!number || *number < 0 || (digits.size() != 2 && digits.size() != 4)) {
        return 0.0;
    }
    const long long hours = digits.size() == 4 ? *number / 100 : *number;
    const long long minutes = digits.size() == 4 ? *number % 100 : 0;
    const double seconds = static_cast<double>(3600 * hours + 60 * minutes);
    const bool west = clock[sign] == '-';
    clock.resize(sign);
    return west ? -seconds : seconds;
}

/// Whether a clock is written without fractions of its seconds.
bool isWrittenWhole(std::string_view clock) {
    return clock.find_first_of(".,") == std::string_view::npos;
}

/// The moment of a clock on a day. A second 60 is one where the day has it, and the next minute where it has not.
Moment
momentOf(const Utc& midnight, double seconds, double offset, std::string keywords, bool says60) {
    Moment moment{Utc::julian(midnight.day(), seconds / kSecondsPerDay),
                  std::move(keywords),
                  false,
                  false,
                  {},
                  false};
    if (says60) {
        const Utc next = Utc::julian(midnight.day() + 1.0);
        const bool leaps = taiMinusUtc(next) - taiMinusUtc(midnight) > 0.5;
        if (leaps && seconds >= kSecondsPerDay) {
            // Counted back from midnight, so that what is added to it comes out right.
            moment.time = next.plusSeconds(seconds - kSecondsPerDay - 1.0);
            moment.inLeapSecond = true;
        } else {
            moment.note = moment.keywords +
                          " has a second 60 where there was no leap second; it is taken for the "
                          "first of the next minute";
        }
    }
    moment.time = moment.time.plusSeconds(-offset);
    moment.fine = isFine(moment.time);
    return moment;
}

/// "23:59:60.5" and its like.
bool saysSixty(std::string_view clock) {
    const std::size_t last = clock.find_last_of(":- hm");
    const auto seconds =
        last == std::string_view::npos ? std::nullopt : parseNumber(trim(clock.substr(last + 1)));
    return seconds && *seconds >= 60.0 && *seconds < 61.0;
}

std::optional<Moment>
fromClock(const ValueFinder& finder, Role role, const Utc& midnight, const std::string& keyword) {
    for (const KeywordRule& clock : finder.table().keywords(clockSectionOf(role))) {
        const auto words = finder.header().text(clock.keyword);
        if (!words) {
            continue;
        }
        std::string text = *words;
        const double offset = takeOffset(text);
        if (const auto seconds = clockSeconds(text, clock.unit)) {
            Moment moment = momentOf(midnight,
                                     *seconds,
                                     offset,
                                     fmt::format("{} with {}", keyword, clock.keyword),
                                     saysSixty(text));
            moment.isWhole = isWrittenWhole(text);
            return moment;
        }
    }
    return std::nullopt;
}

/// A date keyword with its time of day inside, or in a second keyword.
std::optional<Moment>
readIso(const ValueFinder& finder, const std::string& keyword, Role role, std::string& problem) {
    const auto text = finder.header().text(keyword);
    if (!text) {
        return std::nullopt;
    }
    const std::size_t cut = text->find_first_of("Tt_ ");
    const auto midnight = dateOf(std::string_view(*text).substr(0, cut));
    if (!midnight) {
        problem = fmt::format("{} = '{}' is no date that there is", keyword, *text);
        return std::nullopt;
    }
    if (cut == std::string::npos) {
        return fromClock(finder, role, *midnight, keyword);
    }
    std::string clock = text->substr(cut + 1);
    const double offset = takeOffset(clock);
    if (const auto seconds = clockSeconds(clock, "h")) {
        Moment moment = momentOf(*midnight, *seconds, offset, keyword, saysSixty(clock));
        moment.isWhole = isWrittenWhole(clock);
        // A clock of its own may say something else.
        const auto other = fromClock(finder, role, *midnight, keyword);
        if (other && std::abs(other->time.secondsSince(moment.time)) > kAgreeSeconds &&
            moment.note.empty()) {
            moment.note = fmt::format("{} and {} are {:.1f} s apart; the former counts",
                                      moment.keywords,
                                      other->keywords,
                                      other->time.secondsSince(moment.time));
        }
        return moment;
    }
    problem = fmt::format("{} = '{}' has no time of day that can be read", keyword, *text);
    return std::nullopt;
}

std::optional<Moment> readDayNumber(const ValueFinder& finder, const KeywordRule& rule) {
    const auto value = finder.header().number(rule.keyword);
    if (!value || *value <= 0.0) {
        return std::nullopt;
    }
    double days = *value;
    double zero = rule.unit == "jd" ? 0.0 : kMjdZero;
    if (rule.unit == "unix") {
        days /= kSecondsPerDay;
        zero = kUnixZero;
    } else if (rule.unit == "mjd" && days > 2e6) {
        zero = 0.0; // a Julian date under the other's keyword
    } else if (rule.unit == "jd" && days < 1e6) {
        zero = kMjdZero;
    }
    const double whole = std::floor(days);
    // Reckoned from midnight, so that the fraction keeps its digits.
    return Moment{Utc::julian(zero + whole, days - whole), rule.keyword, true, false, {}, false};
}

std::optional<Moment>
readRule(const ValueFinder& finder, const KeywordRule& rule, Role role, std::string& problem) {
    return rule.unit == "mjd" || rule.unit == "jd" || rule.unit == "unix"
               ? readDayNumber(finder, rule)
               : readIso(finder, rule.keyword, role, problem);
}

Role statedRole(const ValueFinder& finder, const std::string& keyword, Role role) {
    const std::string comment = finder.comment(keyword);
    const auto says = [&](std::string_view word) {
        return comment.find(word) != std::string::npos;
    };
    if (says("midnight")) {
        return role;
    }
    if (says("mid-") || says("midpoint") || says("middle") || says("mid exp") || says("mid of")) {
        return Role::Middle;
    }
    if (says("end of exp") || says("end of the exp") || says("exposure end") ||
        says("shutter clos")) {
        return Role::End;
    }
    if (says("start of") || says("begin")) {
        return Role::Start;
    }
    return role;
}

/// UTC of a time that a header gives in another scale.
Utc fromScale(const ValueFinder& finder,
              const Utc& time,
              std::string& reason,
              std::vector<std::string>& notes) {
    const auto scale = finder.text("time.scale");
    if (!scale) {
        return time;
    }
    const std::string name = toLower(scale->value);
    const double tai = taiMinusUtc(time);
    double offset = 0.0;
    if (name == "tai") {
        offset = tai;
    } else if (name == "tt" || name == "tdt" || name == "et" || name == "tdb") {
        offset = tai + 32.184;
    } else if (name == "gps") {
        offset = tai - 19.0;
    } else {
        if (name != "utc" && name != "ut" && name != "ut1" && name != "gmt" && name != "z") {
            notes.push_back(
                fmt::format("{} = '{}' names no time scale that is known; the times are "
                            "taken for UTC. If they are not, give the camera's clock "
                            "offset",
                            scale->keyword,
                            scale->value));
        }
        return time;
    }
    reason += fmt::format("; {} turned into UTC", scale->value);
    return time.plusSeconds(-offset);
}

struct Moments {
    std::optional<Moment> middle;
    std::optional<Moment> start;
    std::optional<Moment> end;
    std::vector<std::string> notes;
    std::string problem; ///< of the first keyword that could not be read

    std::optional<Moment>& of(Role role) {
        return role == Role::Middle ? middle : role == Role::Start ? start : end;
    }
};

Moments collect(const ValueFinder& finder) {
    Moments moments;
    for (const Role role : {Role::Middle, Role::Start, Role::End}) {
        for (const KeywordRule& rule : finder.table().keywords(sectionOf(role))) {
            std::string problem;
            const auto moment = readRule(finder, rule, role, problem);
            moments.problem = moments.problem.empty() ? problem : moments.problem;
            if (!moment) {
                continue;
            }
            if (!moment->note.empty()) {
                moments.notes.push_back(moment->note);
            }
            auto& place = moments.of(statedRole(finder, rule.keyword, role));
            if (place && std::abs(moment->time.secondsSince(place->time)) > kAgreeSeconds) {
                moments.notes.push_back(
                    fmt::format("{} and {} are {:.1f} s apart; the former counts",
                                place->keywords,
                                moment->keywords,
                                moment->time.secondsSince(place->time)));
            }
            const bool finer = place && !place->fine && moment->fine &&
                               std::abs(moment->time.secondsSince(place->time)) < 1.0;
            if (!place || finer) {
                place = moment;
            }
        }
    }
    // The clock of the middle or the end may stand beside the date of the start.
    for (const KeywordRule& rule : finder.table().keywords(sectionOf(Role::Start))) {
        const auto text = finder.header().text(rule.keyword);
        const auto midnight = text && rule.unit == "iso"
                                  ? dateOf(text->substr(0, text->find_first_of("T_ ")))
                                  : std::nullopt;
        if (!midnight) {
            continue;
        }
        for (const Role role : {Role::Middle, Role::End}) {
            if (moments.of(role)) {
                continue;
            }
            auto moment = fromClock(finder, role, *midnight, rule.keyword);
            if (moment && moments.start && moment->time < moments.start->time) {
                moment->time = moment->time.plusSeconds(kSecondsPerDay); // past midnight
            }
            moments.of(role) = moment;
        }
        break;
    }
    return moments;
}

/// What start, middle, end and exposure say against each other.
void noteContradictions(const Moments& moments,
                        const std::optional<double>& exposure,
                        std::vector<std::string>& notes) {
    if (moments.start && moments.end && exposure) {
        const double span = moments.end->time.secondsSince(moments.start->time);
        // Shutters and read-out take their time; whole minutes more are another exposure, and less is none.
        if (span < 0.98 * *exposure - 1.0 || span > 1.5 * *exposure + 60.0) {
            notes.push_back(fmt::format("{} and {} are {:.1f} s apart, the exposure is {:g} s",
                                        moments.start->keywords,
                                        moments.end->keywords,
                                        span,
                                        *exposure));
        }
    }
    if (moments.middle && moments.start && exposure) {
        const double apart =
            moments.middle->time.secondsSince(plusElapsed(moments.start->time, 0.5 * *exposure));
        if (std::abs(apart) > kAgreeSeconds + 0.02 * *exposure) {
            notes.push_back(fmt::format("{} is {:.1f} s from the middle that {} and the exposure "
                                        "give; the former counts",
                                        moments.middle->keywords,
                                        apart,
                                        moments.start->keywords));
        }
    }
}

} // namespace

std::optional<ExposureTime> findMidExposure(const ValueFinder& finder,
                                            std::optional<double> exposureSeconds,
                                            std::string& problem) {
    const Moments moments = collect(finder);
    problem = moments.problem;
    ExposureTime result;
    result.notes = moments.notes;
    if (moments.start && moments.end && !exposureSeconds) {
        const double span = moments.end->time.secondsSince(moments.start->time);
        if (span > 0.0) {
            result.exposureSeconds = span;
        }
    }
    noteContradictions(moments, exposureSeconds, result.notes);
    const double exposure = exposureSeconds.value_or(result.exposureSeconds.value_or(0.0));
    if (moments.middle) {
        result.middle = moments.middle->time;
        result.fromMiddle = true;
        result.reason = moments.middle->keywords + " is the middle";
    } else if (moments.start) {
        result.middle = moments.start->inLeapSecond
                            ? moments.start->time.plusSeconds(0.5 * exposure)
                            : plusElapsed(moments.start->time, 0.5 * exposure);
        result.reason =
            fmt::format("{} is the start; half of {:g} s added", moments.start->keywords, exposure);
    } else if (moments.end) {
        result.middle = plusElapsed(moments.end->time, -0.5 * exposure);
        result.reason =
            fmt::format("{} is the end; half of {:g} s taken off", moments.end->keywords, exposure);
    } else {
        return std::nullopt;
    }
    const auto& told = moments.middle  ? moments.middle
                       : moments.start ? moments.start
                                       : moments.end;
    result.stepSeconds = told->isWhole ? 1.0 : 0.0;
    result.middle = fromScale(finder, result.middle, result.reason, result.notes);
    return result;
}

} // namespace pathmark::frame
