#include "core/catalog/place_table.h"

#include "core/base/text.h"

#include <pugixml.hpp>

#include <algorithm>
#include <array>
#include <cmath>
#include <cstring>
#include <string>

namespace pathmark::catalog {
namespace {

constexpr std::uintmax_t kMostBytes = 200U << 20U;

Error badTable(const std::string& words, const std::filesystem::path& table) {
    return {ErrorId::CatalogBadTable, words, table.string()};
}

/// Names of elements may carry a prefix.
bool isCalled(const pugi::xml_node& node, const char* name) {
    const char* colon = std::strchr(node.name(), ':');
    return std::strcmp(colon == nullptr ? node.name() : colon + 1, name) == 0;
}

/// Whether a column holds one of both coordinates, and how sure that is: 2 by its UCD, 1 by its name.
int tells(const pugi::xml_node& field, const char* ucd, const std::array<const char*, 4>& names) {
    const std::string stated = toLower(field.attribute("ucd").value());
    if (stated == ucd || stated == std::string(ucd) + ";meta.main") {
        return 2;
    }
    const std::string name = toLower(field.attribute("name").value());
    return std::find(names.begin(), names.end(), name) != names.end() ? 1 : 0;
}

/// Where the two columns stand.
struct Columns {
    std::array<int, 2> at{-1, -1};
    std::array<int, 2> sure{0, 0};

    void look(const pugi::xml_node& field, int place) {
        const std::array sureness{
            tells(field, "pos.eq.ra", {"ra", "raj2000", "ra_deg", "_raj2000"}),
            tells(field, "pos.eq.dec", {"dec", "dej2000", "dec_deg", "_dej2000"})};
        for (std::size_t i = 0; i < 2; ++i) {
            if (sureness[i] > sure[i]) {
                sure[i] = sureness[i];
                at[i] = place;
            }
        }
    }

    [[nodiscard]] bool areThere() const { return at[0] >= 0 && at[1] >= 0; }
};

std::optional<SkyPos> placeOf(const pugi::xml_node& row, const Columns& columns) {
    std::array<std::optional<double>, 2> value;
    int place = 0;
    for (const pugi::xml_node& cell : row.children()) {
        if (!isCalled(cell, "TD")) {
            continue;
        }
        for (std::size_t i = 0; i < 2; ++i) {
            if (columns.at[i] == place) {
                value[i] = parseNumber(cell.child_value());
            }
        }
        ++place;
    }
    if (!value[0] || !value[1] || !std::isfinite(*value[0]) || !(std::abs(*value[1]) <= 90.0)) {
        return std::nullopt;
    }
    return SkyPos{normalised(Angle::degrees(*value[0])), Angle::degrees(*value[1])};
}

} // namespace

Result<std::vector<std::optional<SkyPos>>> placesOf(const std::filesystem::path& table) {
    std::error_code status;
    const auto bytes = std::filesystem::file_size(table, status);
    if (status || bytes > kMostBytes) {
        return fail(
            badTable(status ? "There is no such table." : "The table is too large.", table));
    }
    pugi::xml_document document;
    if (!document.load_file(table.c_str())) {
        return fail(badTable("This is no VOTable.", table));
    }
    const pugi::xml_node found =
        document.find_node([](const pugi::xml_node& node) { return isCalled(node, "TABLE"); });
    Columns columns;
    int fields = 0;
    for (const pugi::xml_node& child : found.children()) {
        if (isCalled(child, "FIELD")) {
            columns.look(child, fields++);
        }
    }
    if (!columns.areThere()) {
        return fail(
            badTable("No columns of the table are right ascension and declination.", table));
    }
    const pugi::xml_node data =
        found.find_node([](const pugi::xml_node& node) { return isCalled(node, "TABLEDATA"); });
    if (!data) {
        return fail(badTable("Only tables as TABLEDATA are taken.", table));
    }
    std::vector<std::optional<SkyPos>> places;
    for (const pugi::xml_node& row : data.children()) {
        if (isCalled(row, "TR")) {
            places.push_back(placeOf(row, columns));
        }
    }
    return places;
}

} // namespace pathmark::catalog
