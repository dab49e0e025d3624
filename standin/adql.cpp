#include "standin/adql.h"

#include "core/base/text.h"

#include <regex>

namespace pathmark::standin {

std::optional<Query> parseQuery(const std::string& text, std::string& problem) {
    static const std::regex whole(
        R"(\s*SELECT\s+(?:TOP\s+(\d+)\s+)?(.+?)\s+FROM\s+(\S+)\s+WHERE\s+(.+)\s*)",
        std::regex::icase);
    static const std::regex circle(
        R"(CONTAINS\s*\(\s*POINT\s*\([^)]*\)\s*,\s*CIRCLE\s*\(\s*'ICRS'\s*,\s*([-+.\deE]+)\s*,\s*([-+.\deE]+)\s*,\s*([-+.\deE]+)\s*\)\s*\))",
        std::regex::icase);
    static const std::regex limit(R"(phot_g_mean_mag\s*<=?\s*([-+.\deE]+))", std::regex::icase);
    std::smatch parts;
    if (!std::regex_match(text, parts, whole)) {
        problem = "cannot parse the query: SELECT ... FROM ... WHERE ... expected";
        return std::nullopt;
    }
    Query query;
    if (parts[1].matched) {
        query.selection.most =
            static_cast<std::size_t>(parseInteger(parts[1].str()).value_or(1'000'000));
    }
    const std::string columns = parts[2].str();
    for (const auto column : split(columns, ',')) {
        query.columns.push_back(toLower(trim(column)));
    }
    query.table = parts[3].str();
    const std::string conditions = parts[4].str();
    std::smatch found;
    if (!std::regex_search(conditions, found, circle)) {
        problem = "only CONTAINS(POINT(...), CIRCLE('ICRS', ra, dec, radius)) is understood";
        return std::nullopt;
    }
    query.selection.raDegrees = parseNumber(found[1].str()).value_or(0.0);
    query.selection.decDegrees = parseNumber(found[2].str()).value_or(0.0);
    query.selection.radiusDegrees = parseNumber(found[3].str()).value_or(0.0);
    if (std::regex_search(conditions, found, limit)) {
        query.selection.faintest = parseNumber(found[1].str()).value_or(99.0);
    }
    return query;
}

} // namespace pathmark::standin
