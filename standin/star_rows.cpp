#include "standin/star_rows.h"

#include "core/base/text.h"

#include <cmath>
#include <fstream>
#include <numbers>
#include <stdexcept>

namespace pathmark::standin {

int StarRows::column(const std::string& name) const {
    for (std::size_t i = 0; i < columns.size(); ++i) {
        if (columns[i] == name) {
            return static_cast<int>(i);
        }
    }
    return -1;
}

StarRows readRows(const std::filesystem::path& path) {
    std::ifstream in(path);
    std::string line;
    if (!in || !std::getline(in, line)) {
        throw std::runtime_error(path.string() + " cannot be read");
    }
    StarRows table;
    for (const auto word : split(trim(line), ',')) {
        table.columns.push_back(toLower(trim(word)));
    }
    while (std::getline(in, line)) {
        std::vector<std::string> cells;
        for (const auto cell : split(trim(line), ',')) {
            cells.emplace_back(trim(cell));
        }
        if (cells.size() == table.columns.size()) {
            table.rows.push_back(std::move(cells));
        }
    }
    return table;
}

std::vector<std::size_t> choose(const StarRows& table, const Selection& selection, bool& cutOff) {
    const auto ra = static_cast<std::size_t>(table.column("ra"));
    const auto dec = static_cast<std::size_t>(table.column("dec"));
    const auto mag = static_cast<std::size_t>(table.column("phot_g_mean_mag"));
    constexpr double degree = std::numbers::pi / 180.0;
    std::vector<std::size_t> chosen;
    cutOff = false;
    for (std::size_t i = 0; i < table.rows.size(); ++i) {
        const auto& row = table.rows[i];
        const double a = parseNumber(row[ra]).value_or(0.0);
        const double d = parseNumber(row[dec]).value_or(0.0);
        // Haversine: good for the smallest separations.
        const double u = std::sin(0.5 * (d - selection.decDegrees) * degree);
        const double v = std::sin(0.5 * (a - selection.raDegrees) * degree);
        const double h =
            u * u + std::cos(d * degree) * std::cos(selection.decDegrees * degree) * v * v;
        const double apart = 2.0 * std::asin(std::min(1.0, std::sqrt(h))) / degree;
        if (apart > selection.radiusDegrees ||
            parseNumber(row[mag]).value_or(0.0) > selection.faintest) {
            continue;
        }
        if (chosen.size() >= selection.most) {
            cutOff = true;
            break;
        }
        chosen.push_back(i);
    }
    return chosen;
}

} // namespace pathmark::standin
