#include "core/orbit/formats/orbit_file.h"

#include "core/base/parallel.h"
#include "core/base/text.h"
#include "core/base/whole_file.h"
#include "core/orbit/body_id.h"
#include "core/orbit/formats/comet_line.h"
#include "core/orbit/formats/one_line.h"
#include "core/orbit/formats/orbit_table.h"

#include <fmt/format.h>

#include <algorithm>
#include <iterator>
#include <optional>
#include <string_view>
#include <unordered_set>

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

/// A head ends with a rule of dashes within the first lines; what stands before it is prose.
std::size_t lengthOfHead(std::string_view text) {
    std::size_t head = 0;
    std::size_t at = 0;
    for (int i = 0; i < 200 && at < text.size(); ++i) {
        const std::size_t end = std::min(text.find('\n', at), text.size());
        if (isRule(trim(text.substr(at, end - at)))) {
            head = std::min(end + 1, text.size());
        }
        at = end + 1;
    }
    return head;
}

/// A part of a file: its orbits, and its bad lines counted from the part's own first.
struct Part {
    std::vector<Elements> orbits;
    std::vector<std::pair<long long, std::string>> bad;
    long long lines = 0;
};

Part parsePart(std::string_view text) {
    Part part;
    part.orbits.reserve(text.size() / 200 + 1);
    for (std::size_t at = 0; at < text.size();) {
        const std::size_t end = std::min(text.find('\n', at), text.size());
        std::string_view line = text.substr(at, end - at);
        at = end + 1;
        ++part.lines;
        if (!line.empty() && line.back() == '\r') {
            line.remove_suffix(1);
        }
        if (trim(line).empty() || line.front() == '#') {
            continue;
        }
        auto elements = looksLikeComet(line) ? parseCometLine(line) : parseOneLine(line);
        if (elements) {
            part.orbits.push_back(std::move(*elements));
        } else {
            part.bad.emplace_back(part.lines, elements.error().detail);
        }
    }
    return part;
}

OrbitList parseLines(std::string_view text, const std::filesystem::path& path) {
    const std::size_t head = lengthOfHead(text);
    long long before =
        std::count(text.begin(), text.begin() + static_cast<std::ptrdiff_t>(head), '\n');
    // Cut at line ends into parts of some megabytes.
    constexpr std::size_t partBytes = 4U << 20U;
    std::vector<std::string_view> pieces;
    for (std::size_t at = head; at < text.size();) {
        std::size_t end = std::min(text.size(), at + partBytes);
        end = end == text.size() ? end : std::min(text.find('\n', end), text.size() - 1) + 1;
        pieces.push_back(text.substr(at, end - at));
        at = end;
    }
    std::vector<Part> parts(pieces.size());
    parallelFor(pieces.size(), [&](std::size_t i) { parts[i] = parsePart(pieces[i]); });
    OrbitList list;
    for (Part& part : parts) {
        list.orbits.insert(list.orbits.end(),
                           std::make_move_iterator(part.orbits.begin()),
                           std::make_move_iterator(part.orbits.end()));
        part.orbits = {};
        for (const auto& [line, words] : part.bad) {
            list.badLines.push_back(
                {ErrorId::OrbitBadLine,
                 fmt::format("line {}: {}; the line is left out.", before + line, words),
                 path.string()});
        }
        before += part.lines;
    }
    return list;
}

/// So many bad lines of a file are told one by one: more say nothing new.
constexpr std::size_t kMostTold = 10;

void addFirst(const std::vector<Error>& bad,
              const std::filesystem::path& path,
              std::vector<Error>& all) {
    const std::size_t told = std::min(bad.size(), kMostTold);
    all.insert(all.end(), bad.begin(), bad.begin() + static_cast<std::ptrdiff_t>(told));
    if (told < bad.size()) {
        all.push_back({ErrorId::OrbitBadLine,
                       fmt::format("{} more lines are no orbits and are left out; is this the "
                                   "right file?",
                                   bad.size() - told),
                       path.string()});
    }
}

/// A name that is more than a designation: "C/2031 K7 (Name)", "29P/Name", "(433) Name".
bool hasName(std::string_view name) {
    return name.find(" (") != std::string_view::npos || name.find(") ") != std::string_view::npos ||
           name.find("P/") != std::string_view::npos || name.find("D/") != std::string_view::npos;
}

/// Keeps the first orbit of each body.
void dropDuplicates(OrbitList& list) {
    // Most names are designations and are compared as they are; a million need not be normalised for the few that are not.
    std::unordered_set<std::string> named;
    std::unordered_set<std::string_view> seen;
    seen.reserve(2 * list.orbits.size());
    std::vector<Elements> once;
    std::vector<char> keep(list.orbits.size(), 0);
    for (std::size_t i = 0; i < list.orbits.size(); ++i) {
        const std::string& name = list.orbits[i].name;
        if (hasName(name)) {
            const std::string plain = BodyId::of(name).text();
            keep[i] = !seen.contains(plain) && named.insert(plain).second ? 1 : 0;
        } else {
            keep[i] = seen.insert(name).second && !named.contains(name) ? 1 : 0;
        }
    }
    const auto doubles = std::count(keep.begin(), keep.end(), 0);
    if (doubles == 0) {
        return;
    }
    once.reserve(list.orbits.size());
    for (std::size_t i = 0; i < list.orbits.size(); ++i) {
        if (keep[i] != 0) {
            once.push_back(std::move(list.orbits[i]));
        }
    }
    seen.clear();
    list.orbits = std::move(once);
    list.duplicates += static_cast<int>(doubles);
}

} // namespace

Result<OrbitList> readOrbitFile(const std::filesystem::path& path) {
    const auto text = readWholeFile(path);
    if (!text || text->empty()) {
        return fail(ErrorId::OrbitNotReadable,
                    "The orbit file is missing, empty or cannot be opened.",
                    path.string());
    }
    OrbitList list;
    const char first = (*text)[std::min(text->find_first_not_of(" \t\r\n"), text->size() - 1)];
    if (first == '[' || first == '{') {
        auto orbits = parseOrbitJson(*text);
        if (!orbits) {
            Error error = orbits.error();
            error.subject = path.string();
            return fail(error);
        }
        list = std::move(*orbits);
        for (Error& error : list.badLines) {
            error.subject = path.string();
        }
    } else {
        list = parseLines(*text, path);
    }
    if (list.orbits.empty() && !list.badLines.empty()) {
        return fail(
            ErrorId::OrbitNotReadable,
            fmt::format("Holds no orbit in a known format ({}). Give a file in the MPC one-line, "
                        "comet or JSON format.",
                        list.badLines.front().detail),
            path.string());
    }
    if (list.orbits.empty()) {
        // A list in which nothing stands is no fault of the night that names it.
        list.badLines.push_back(
            {ErrorId::OrbitBadLine, "The list is empty: no orbit stands in it.", path.string()});
    }
    dropDuplicates(list);
    return list;
}

Result<OrbitList> readOrbitFiles(std::span<const std::filesystem::path> paths) {
    OrbitList all;
    for (const auto& path : paths) {
        auto list = readOrbitFile(path);
        if (!list) {
            return fail(list.error());
        }
        addFirst(list->badLines, path, all.badLines);
        all.duplicates += list->duplicates;
        if (all.orbits.empty()) {
            all.orbits = std::move(list->orbits);
        } else {
            all.orbits.insert(all.orbits.end(),
                              std::make_move_iterator(list->orbits.begin()),
                              std::make_move_iterator(list->orbits.end()));
        }
    }
    if (paths.size() > 1) {
        dropDuplicates(all);
    }
    return all;
}

} // namespace pathmark::orbit
