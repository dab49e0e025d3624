#include "core/night/marks_table.h"

#include "core/base/csv_field.h"
#include "core/base/text.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <fstream>
#include <optional>
#include <string>

namespace pathmark::night {
namespace {

struct Columns {
    std::size_t file = 0;
    std::size_t first = 0; ///< x or ra
    std::size_t second = 0;
    bool onSky = false;

    [[nodiscard]] std::size_t last() const { return std::max({file, first, second}); }
};

std::optional<Columns> columnsOf(const std::vector<std::string>& head) {
    const auto place = [&](const char* name) -> std::optional<std::size_t> {
        const auto found = std::find_if(head.begin(), head.end(), [&](const std::string& field) {
            return toLower(field) == name;
        });
        return found == head.end() ? std::nullopt
                                   : std::optional(static_cast<std::size_t>(found - head.begin()));
    };
    const auto file = place("file");
    if (file && place("x") && place("y")) {
        return Columns{*file, *place("x"), *place("y"), false};
    }
    if (file && place("ra") && place("dec")) {
        return Columns{*file, *place("ra"), *place("dec"), true};
    }
    return std::nullopt;
}

/// The light of that name: its whole path, its name, or its name without endings.
std::optional<std::size_t> lightNamed(const std::string& file, std::span<const StackLight> lights) {
    const std::filesystem::path wanted(file);
    for (const bool byStem : {false, true}) {
        for (std::size_t i = 0; i < lights.size(); ++i) {
            const auto& path = lights[i].info.path;
            if (byStem ? frame::frameStem(path) == frame::frameStem(wanted) ||
                             frame::frameStem(path) == wanted.filename()
                       : path == wanted || path.filename() == wanted) {
                return i;
            }
        }
    }
    return std::nullopt;
}

Result<stack::Mark> markOf(const std::vector<std::string>& fields,
                           const Columns& columns,
                           std::span<const StackLight> lights) {
    if (fields.size() <= columns.last()) {
        return fail(ErrorId::StackBadMarks, "has too few fields");
    }
    const auto light = lightNamed(fields[columns.file], lights);
    if (!light) {
        return fail(ErrorId::StackBadMarks,
                    fmt::format("names {}, which is not among the frames", fields[columns.file]));
    }
    const auto first = parseNumber(fields[columns.first]);
    const auto second = parseNumber(fields[columns.second]);
    if (!first || !second || !std::isfinite(*first) || !std::isfinite(*second) ||
        (columns.onSky && std::abs(*second) > 90.0)) {
        return fail(ErrorId::StackBadMarks, "holds no place");
    }
    return stack::Mark{*light,
                       columns.onSky
                           ? skyDegrees(*first, *second)
                           : lights[*light].place.wcs.toSky(frame::fromFits({*first, *second}))};
}

} // namespace

Result<std::vector<stack::Mark>> readMarks(const std::filesystem::path& path,
                                           std::span<const StackLight> lights) {
    std::ifstream stream(path);
    std::string line;
    if (!stream || !std::getline(stream, line)) {
        return fail(ErrorId::StackBadMarks, "The table of marks cannot be read.", path.string());
    }
    const auto columns = columnsOf(csvFields(trim(withoutByteOrderMark(line))));
    if (!columns) {
        return fail(ErrorId::StackBadMarks,
                    "The first line must name the columns file, x, y or file, ra, dec.",
                    path.string());
    }
    std::vector<stack::Mark> marks;
    for (int number = 2; std::getline(stream, line); ++number) {
        if (trim(line).empty()) {
            continue;
        }
        auto mark = markOf(csvFields(trim(line)), *columns, lights);
        if (!mark) {
            return fail(ErrorId::StackBadMarks,
                        fmt::format("Line {} {}.", number, mark.error().detail),
                        path.string());
        }
        marks.push_back(*mark);
    }
    return marks;
}

} // namespace pathmark::night
