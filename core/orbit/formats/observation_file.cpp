#include "core/orbit/formats/observation_file.h"

#include "core/base/text.h"
#include "core/base/whole_file.h"
#include "core/orbit/formats/designation.h"
#include "core/orbit/formats/eighty_column.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <set>

namespace pathmark::orbit {
namespace {

/// "COD Z99", "OBS ...": the head of an old report.
bool isHead(std::string_view line) {
    static constexpr std::array words{
        "COD", "CON", "OBS", "MEA", "TEL", "NET", "BND", "COM", "NUM", "ACK", "AC2", "TYP"};
    return std::any_of(words.begin(), words.end(), [&](const char* word) {
        return line.starts_with(word) && (line.size() == 3 || line[3] == ' ');
    });
}

} // namespace

ObservationList parseEightyColumnLines(const std::string& text) {
    ObservationList list;
    const auto lines = split(text, '\n');
    const auto clean = [&](std::size_t i) {
        std::string_view line = i < lines.size() ? lines[i] : std::string_view();
        while (!line.empty() && (line.back() == '\r' || line.back() == '\n')) {
            line.remove_suffix(1);
        }
        return line;
    };
    for (std::size_t i = 0; i < lines.size(); ++i) {
        const std::string_view line = clean(i);
        if (trim(line).empty() || line.front() == '#' || isHead(line) || trim(line) == "-----") {
            continue;
        }
        const auto kind = eightyColumnKind(line);
        if (kind == EightyColumnKind::Replaced) {
            ++list.replaced;
            continue;
        }
        const std::string_view second = clean(i + 1);
        auto observation = parseEightyColumn(line, second);
        const int number = static_cast<int>(i) + 1;
        if (!observation) {
            list.badLines.push_back({ErrorId::OrbitBadLine,
                                     fmt::format("line {}: {}; the line is left out.",
                                                 number,
                                                 observation.error().detail),
                                     {}});
            continue;
        }
        if (kind != EightyColumnKind::Optical) {
            ++i;
        }
        list.radar += observation->radar ? 1 : 0;
        observation->line = number;
        list.observations.push_back(std::move(*observation));
    }
    return list;
}

Result<ObservationList> readObservationFile(const std::filesystem::path& path) {
    const auto whole = readWholeFile(path);
    if (!whole || whole->empty()) {
        return fail(ErrorId::OrbitNotReadable,
                    "The file of observations is missing, empty or cannot be opened.",
                    path.string());
    }
    const std::string& text = *whole;
    const std::string_view start = trim(std::string_view(text).substr(0, 4000));
    Result<ObservationList> list = fail(ErrorId::OrbitNotReadable, "");
    if (start.starts_with('<')) {
        list = parseAdesXml(text);
    } else if (start.starts_with("# version") || start.find('|') != std::string_view::npos) {
        list = parseAdesPsv(text);
    } else {
        list = parseEightyColumnLines(text);
        if (list->observations.empty()) {
            list = fail(ErrorId::OrbitNotReadable,
                        fmt::format("Holds no observation in a known format ({}). Give a file in "
                                    "MPC 80 columns or in ADES.",
                                    list->badLines.empty() ? "it is empty"
                                                           : list->badLines.front().detail));
        }
    }
    if (!list) {
        Error error = list.error();
        error.subject = path.string();
        return fail(error);
    }
    for (Error& error : list->badLines) {
        error.subject = path.string();
    }
    return list;
}

BodyObservations observationsOf(const ObservationList& list, const std::string& body) {
    const std::string readable = unpackDesignation(body).value_or(body);
    BodyObservations result;
    for (const Observation& o : list.observations) {
        if (o.body == body || o.body == readable || o.body == "(" + body + ")" ||
            o.ownName == body) {
            result.observations.push_back(o);
        }
    }
    auto& all = result.observations;
    std::stable_sort(all.begin(), all.end(), [](const Observation& a, const Observation& b) {
        return a.time < b.time;
    });
    std::vector<Observation> once;
    for (Observation& o : all) {
        const bool known = std::any_of(once.rbegin(), once.rend(), [&](const Observation& other) {
            return std::abs(o.time.secondsSince(other.time)) < 0.5 && o.station == other.station &&
                   !o.radar && !other.radar && separation(o.sky, other.sky).arcsec() < 0.01;
        });
        if (known) {
            ++result.duplicates;
        } else {
            once.push_back(std::move(o));
        }
    }
    all = std::move(once);
    return result;
}

std::vector<std::string> bodiesOf(const ObservationList& list) {
    std::vector<std::string> bodies;
    std::set<std::string> seen;
    for (const Observation& o : list.observations) {
        if (seen.insert(o.body).second) {
            bodies.push_back(o.body);
        }
    }
    return bodies;
}

} // namespace pathmark::orbit
