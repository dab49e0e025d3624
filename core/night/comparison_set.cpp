#include "core/night/comparison_set.h"

#include "core/base/atomic_file.h"
#include "core/base/csv_field.h"
#include "core/base/text.h"

#include <fmt/format.h>

#include <cmath>
#include <fstream>

namespace pathmark::night {
namespace {

constexpr const char* kHead = "role,name,ra,dec,band,mag";

struct Line {
    std::string role;
    SetStar star;
};

Result<Line> lineOf(const std::vector<std::string>& fields) {
    const auto refuse = [](const std::string& why) { return fail(ErrorId::CatalogBadTable, why); };
    if (fields.size() < 4) {
        return refuse("needs role, name, ra and dec");
    }
    Line line;
    line.role = toLower(fields[0]);
    if (line.role != "target" && line.role != "comparison" && line.role != "check") {
        return refuse(
            fmt::format("has the role '{}'; it must be target, comparison or check", fields[0]));
    }
    const auto ra = parseNumber(fields[2]);
    const auto dec = parseNumber(fields[3]);
    if (!ra || !dec || !(std::abs(*ra) <= 360.0) || !(std::abs(*dec) <= 90.0)) {
        return refuse("holds no place of the sky");
    }
    line.star.name = fields[1];
    line.star.place = skyDegrees(*ra, *dec);
    line.star.band = fields.size() > 4 ? fields[4] : std::string();
    if (fields.size() > 5 && !fields[5].empty()) {
        line.star.mag = parseNumber(fields[5]);
        if (!line.star.mag || !catalog::bandNamed(line.star.band)) {
            return refuse("needs a number as magnitude, and its band");
        }
    }
    return line;
}

std::string
rowOf(const char* role, const std::string& name, const SkyPos& place, const std::string& rest) {
    return fmt::format("{},{},{:.7f},{:.7f},{}\n",
                       role,
                       csvField(name),
                       place.longitude.degrees(),
                       place.latitude.degrees(),
                       rest);
}

} // namespace

Result<SavedSet> readSet(const std::filesystem::path& path) {
    std::ifstream stream(path);
    std::string text;
    if (!stream || !std::getline(stream, text)) {
        return fail(ErrorId::CatalogBadTable, "The set cannot be read.", path.string());
    }
    if (toLower(trim(withoutByteOrderMark(text))).rfind("role,name,ra,dec", 0) != 0) {
        return fail(ErrorId::CatalogBadTable,
                    fmt::format("The first line must be {}.", kHead),
                    path.string());
    }
    SavedSet set;
    for (int number = 2; std::getline(stream, text); ++number) {
        if (trim(text).empty()) {
            continue;
        }
        auto line = lineOf(csvFields(trim(text)));
        if (!line) {
            return fail(ErrorId::CatalogBadTable,
                        fmt::format("Line {} {}.", number, line.error().detail),
                        path.string());
        }
        if (line->role == "target") {
            set.targets.push_back(std::move(line->star));
        } else if (line->role == "check") {
            set.stars.check = std::move(line->star);
        } else {
            set.stars.comparison.push_back(std::move(line->star));
        }
    }
    return set;
}

Result<bool> writeSet(const std::filesystem::path& path,
                      const LightCurves& curves,
                      std::span<const CurveTarget> targets) {
    std::string text = std::string(kHead) + "\n";
    for (const CurveTarget& target : targets) {
        if (!target.elements) {
            text += rowOf("target", target.name, target.place, ",");
        }
    }
    for (const BandCurves& band : curves.bands) {
        const std::string name(catalog::name(band.band));
        for (std::size_t s = 0; s < band.stars.size(); ++s) {
            const FieldStar& star = band.stars[s];
            const bool isCheck = band.check == s;
            if (star.scatter.used || isCheck) {
                text += rowOf(isCheck ? "check" : "comparison",
                              std::to_string(star.star.sourceId),
                              star.star.place,
                              fmt::format("{},{:.4f}", name, star.catalogueMag));
            }
        }
    }
    return writeWholeText(path, text);
}

} // namespace pathmark::night
