#include "core/night/needs/coastlines.h"

#include "core/base/text.h"
#include "core/base/whole_file.h"

namespace pathmark::night {

Result<std::vector<std::vector<EarthPoint>>> readCoastlines(const std::filesystem::path& path) {
    const auto text = readWholeFile(path);
    if (!text) {
        return fail(ErrorId::FrameNotReadable,
                    "A file of the program is missing; install it again.",
                    path.string());
    }
    std::vector<std::vector<EarthPoint>> lines;
    for (const std::string_view line : split(*text, '\n')) {
        if (line.empty() || line.front() == '#') {
            continue;
        }
        auto& points = lines.emplace_back();
        for (const std::string_view word : split(line, ' ')) {
            const auto comma = word.find(',');
            const auto longitude = parseNumber(word.substr(0, comma));
            const auto latitude = comma == std::string_view::npos
                                      ? std::nullopt
                                      : parseNumber(word.substr(comma + 1));
            if (longitude && latitude) {
                points.push_back({*longitude, *latitude});
            }
        }
    }
    return lines;
}

} // namespace pathmark::night
