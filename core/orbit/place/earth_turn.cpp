#include "core/orbit/place/earth_turn.h"

#include "core/base/text.h"

#include <algorithm>
#include <cmath>
#include <fstream>
#include <string>

namespace pathmark::orbit {
namespace {

double modifiedJulian(const Utc& time) {
    return time.day() - 2400000.5 + time.fraction();
}

std::optional<double> field(std::string_view line, std::size_t first, std::size_t last) {
    return line.size() < last ? std::nullopt
                              : parseNumber(line.substr(first - 1, last - first + 1));
}

} // namespace

Result<EarthTurn> EarthTurn::read(const std::filesystem::path& path) {
    EarthTurn turn;
    std::ifstream stream(path);
    std::string line;
    while (std::getline(stream, line)) {
        const auto day = field(line, 8, 15);
        const auto x = field(line, 19, 27);
        const auto y = field(line, 38, 46);
        const auto ut1 = field(line, 59, 68);
        // The last months of a table hold days without values.
        if (day && x && y && ut1 &&
            (turn.days_.empty() || turn.days_.back().modifiedJulian < *day)) {
            turn.days_.push_back({*day, *ut1, Angle::arcsec(*x), Angle::arcsec(*y)});
        }
    }
    if (turn.days_.empty()) {
        return fail(ErrorId::OrbitNotReadable,
                    "Holds no day of Earth orientation; give a table in the finals2000A format.",
                    path.string());
    }
    return turn;
}

bool EarthTurn::covers(const Utc& time) const {
    const double day = modifiedJulian(time);
    return !days_.empty() && day >= days_.front().modifiedJulian &&
           day <= days_.back().modifiedJulian;
}

EarthTurn::Day EarthTurn::at(const Utc& time) const {
    const double day = modifiedJulian(time);
    Day result;
    result.modifiedJulian = day;
    if (!covers(time)) {
        return result;
    }
    const auto after =
        std::upper_bound(days_.begin(), days_.end(), day, [](double d, const Day& entry) {
            return d < entry.modifiedJulian;
        });
    const Day& b = after == days_.end() ? days_.back() : *after;
    const Day& a = after == days_.begin() ? b : *std::prev(after);
    const double span = b.modifiedJulian - a.modifiedJulian;
    const double w = span > 0.0 ? (day - a.modifiedJulian) / span : 0.0;
    // A leap second between the two days is a step of UT1 - UTC, not a slope.
    double rise = b.ut1MinusUtc - a.ut1MinusUtc;
    rise -= std::round(rise);
    result.ut1MinusUtc = a.ut1MinusUtc + w * rise;
    result.poleX = a.poleX + w * (b.poleX - a.poleX);
    result.poleY = a.poleY + w * (b.poleY - a.poleY);
    return result;
}

} // namespace pathmark::orbit
