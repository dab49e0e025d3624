#pragma once

#include "standin/star_rows.h"

#include <optional>
#include <string>
#include <vector>

namespace pathmark::standin {

/// The one kind of query that the stand-in understands: columns of stars in a circle, brighter than a limit.
struct Query {
    std::vector<std::string> columns; ///< in the order asked for
    std::string table;
    Selection selection;
};

/// Reads SELECT [TOP n] columns FROM table WHERE 1 = CONTAINS(POINT(...), CIRCLE('ICRS', ra, dec, r))
/// [AND phot_g_mean_mag <= m]; the reason why not, else.
std::optional<Query> parseQuery(const std::string& text, std::string& problem);

} // namespace pathmark::standin
