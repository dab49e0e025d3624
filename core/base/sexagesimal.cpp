#include "core/base/sexagesimal.h"

#include "core/base/text.h"

#include <fmt/format.h>

#include <cctype>
#include <cmath>
#include <vector>

namespace pathmark {
namespace {

/// "a b c.d" of a non-negative number of thirds units, `ticks` counting 10^-decimals seconds.
std::string threeFields(long long ticks, int decimals, char separator) {
    const auto perSecond = static_cast<long long>(std::llround(std::pow(10.0, decimals)));
    const long long seconds = ticks / perSecond;
    std::string text = fmt::format("{:02}{}{:02}{}{:02}",
                                   seconds / 3600,
                                   separator,
                                   seconds / 60 % 60,
                                   separator,
                                   seconds % 60);
    if (decimals > 0) {
        text += fmt::format(".{:0{}}", ticks % perSecond, decimals);
    }
    return text;
}

} // namespace

Result<Angle> parseSexagesimal(std::string_view text, bool hours, PlainNumber plain) {
    const std::string_view whole = trim(text);
    const auto bad = [&] {
        return fail(ErrorId::BaseBadAngle,
                    fmt::format("'{}' is not an angle like 11 06 34.5 or 166.64.", whole));
    };
    std::string cleaned(whole);
    bool negative = false;
    if (!cleaned.empty() && (cleaned.front() == '-' || cleaned.front() == '+')) {
        negative = cleaned.front() == '-';
        cleaned.erase(0, 1);
    }
    for (char& c : cleaned) {
        if (std::isdigit(static_cast<unsigned char>(c)) == 0 && c != '.') {
            c = ' ';
        }
    }
    std::vector<double> fields;
    for (const std::string_view part : split(cleaned, ' ')) {
        if (trim(part).empty()) {
            continue;
        }
        const auto number = parseNumber(part);
        if (!number) {
            return bad();
        }
        fields.push_back(*number);
    }
    if (fields.empty() || fields.size() > 3) {
        return bad();
    }
    double value = fields[0];
    for (std::size_t i = 1; i < fields.size(); ++i) {
        if (fields[i] >= 60.0) {
            return bad();
        }
        value += fields[i] / (i == 1 ? 60.0 : 3600.0);
    }
    const bool inHours = fields.size() > 1 ? hours : hours && plain == PlainNumber::Hours;
    return Angle::degrees((negative ? -value : value) * (inHours ? 15.0 : 1.0));
}

std::string toHours(Angle angle, int decimals, char separator) {
    const double scale = std::pow(10.0, decimals);
    const auto turn = static_cast<long long>(std::llround(86400.0 * scale));
    const auto ticks =
        static_cast<long long>(std::llround(normalised(angle).degrees() * 240.0 * scale));
    return threeFields(ticks % turn, decimals, separator);
}

std::string toDegrees(Angle angle, int decimals, char separator) {
    const double scale = std::pow(10.0, decimals);
    const auto ticks =
        static_cast<long long>(std::llround(std::abs(angle.degrees()) * 3600.0 * scale));
    return (angle.radians() < 0.0 ? "-" : "+") + threeFields(ticks, decimals, separator);
}

} // namespace pathmark
