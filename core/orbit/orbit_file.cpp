#include "core/orbit/orbit_file.h"

#include "core/base/text.h"
#include "core/orbit/one_line.h"
#include "core/orbit/orbit_table.h"

#include <fmt/format.h>

#include <fstream>
#include <iterator>
#include <set>

namespace pathmark::orbit {
namespace {

bool isRule(std::string_view line) {
    return line.size() > 20 && line.find_first_not_of('-') == std::string_view::npos;
}

/// The year of perihelion in columns 15 to 18 and a blank after it mark a comet line.
bool looksLikeComet(std::string_view line) {
    return line.size() > 60 && line[4] != ' ' &&
           std::string_view("CPDXAI").find(line[4]) != std::string_view::npos && line[18] == ' ' &&
           parseInteger(line.substr(14, 4)).value_or(0) > 1000;
}

void parseLines(const std::string& text, const std::filesystem::path& path, OrbitList& list) {
    const auto lines = split(text, '\n');
    // A head ends with a rule of dashes; what stands before it is prose.
    std::size_t start = 0;
    for (std::size_t i = 0; i < std::min<std::size_t>(lines.size(), 200); ++i) {
        if (isRule(trim(lines[i]))) {
            start = i + 1;
        }
    }
    for (std::size_t i = start; i < lines.size(); ++i) {
        std::string_view line = lines[i];
        if (!line.empty() && line.back() == '\r') {
            line.remove_suffix(1);
        }
        if (trim(line).empty() || line.front() == '#') {
            continue;
        }
        auto elements = looksLikeComet(line) ? parseCometLine(line) : parseOneLine(line);
        if (elements) {
            list.orbits.push_back(std::move(*elements));
        } else {
            list.badLines.push_back(
                {ErrorId::OrbitBadLine,
                 fmt::format("line {}: {}; the line is left out.", i + 1, elements.error().detail),
                 path.string()});
        }
    }
}

} // namespace

Result<OrbitList> readOrbitFile(const std::filesystem::path& path) {
    std::ifstream stream(path, std::ios::binary);
    const std::string text{std::istreambuf_iterator<char>(stream), {}};
    if (!stream || text.empty()) {
        return fail(ErrorId::OrbitNotReadable,
                    "The orbit file is missing, empty or cannot be opened.",
                    path.string());
    }
    OrbitList list;
    const char first = text[std::min(text.find_first_not_of(" \t\r\n"), text.size() - 1)];
    if (first == '[' || first == '{') {
        auto orbits = parseOrbitJson(text);
        if (!orbits) {
            Error error = orbits.error();
            error.subject = path.string();
            return fail(error);
        }
        list.orbits = std::move(*orbits);
    } else {
        parseLines(text, path, list);
    }
    if (list.orbits.empty()) {
        const std::string reason =
            list.badLines.empty() ? "it is empty" : list.badLines.front().detail;
        return fail(
            ErrorId::OrbitNotReadable,
            fmt::format("Holds no orbit in a known format ({}). Give a file in the MPC one-line, "
                        "comet or JSON format.",
                        reason),
            path.string());
    }
    return list;
}

Result<OrbitList> readOrbitFiles(std::span<const std::filesystem::path> paths) {
    OrbitList all;
    std::set<std::string> seen;
    for (const auto& path : paths) {
        auto list = readOrbitFile(path);
        if (!list) {
            return fail(list.error());
        }
        for (Elements& e : list->orbits) {
            if (seen.insert(e.name).second) {
                all.orbits.push_back(std::move(e));
            }
        }
        all.badLines.insert(all.badLines.end(), list->badLines.begin(), list->badLines.end());
    }
    return all;
}

} // namespace pathmark::orbit
