#include "core/night/decisions.h"

#include <nlohmann/json.hpp>

#include <algorithm>

namespace pathmark::night {
namespace {

using json = nlohmann::json;

constexpr const char* kMatches = "match_decisions";
constexpr const char* kKinds = "kind_decisions";
constexpr const char* kHandSolutions = "hand_solutions";
constexpr const char* kSwitchedOff = "observations_off";

json parsed(const NightFile& file, const char* key) {
    return json::parse(file.setting(key).value_or("[]"), nullptr, false);
}

} // namespace

MatchDecisions matchDecisions(const NightFile& file) {
    MatchDecisions decisions;
    for (const json& entry : parsed(file, kMatches)) {
        if (const auto role = calibrate::roleNamed(entry.value("role", ""))) {
            decisions[entry.value("series", "")].push_back({*role, entry.value("group", "")});
        }
    }
    return decisions;
}

Result<bool> decideMatch(NightFile& file,
                         const std::string& seriesId,
                         calibrate::Role role,
                         const std::optional<calibrate::Override>& said) {
    MatchDecisions decisions = matchDecisions(file);
    auto& list = decisions[seriesId];
    std::erase_if(list, [&](const calibrate::Override& o) { return o.role == role; });
    if (said) {
        list.push_back(*said);
    }
    json document = json::array();
    for (const auto& [series, overrides] : decisions) {
        for (const auto& one : overrides) {
            document.push_back(
                {{"series", series}, {"role", name(one.role)}, {"group", one.groupId}});
        }
    }
    return file.setSetting(kMatches, document.dump());
}

KindDecisions kindDecisions(const NightFile& file) {
    KindDecisions decisions;
    for (const json& entry : parsed(file, kKinds)) {
        if (const auto kind = frame::frameKindNamed(entry.value("kind", ""))) {
            decisions.emplace_back(entry.value("path", ""), *kind);
        }
    }
    return decisions;
}

Result<bool> decideKinds(NightFile& file, const KindDecisions& kinds) {
    json document = json::array();
    for (const auto& [path, kind] : kinds) {
        document.push_back({{"path", path}, {"kind", frame::name(kind)}});
    }
    return file.setSetting(kKinds, document.dump());
}

bool HandSolution::isOfferedTo(const std::filesystem::path& other) const {
    return std::find(offeredTo.begin(), offeredTo.end(), other) != offeredTo.end();
}

std::vector<HandSolution> handSolutions(const NightFile& file) {
    std::vector<HandSolution> solutions;
    for (const json& entry : parsed(file, kHandSolutions)) {
        HandSolution solution;
        solution.frame = entry.value("frame", "");
        solution.wcs = wcsFromJson(entry.at("wcs"));
        for (const json& other : entry.at("offered_to")) {
            solution.offeredTo.emplace_back(other.get<std::string>());
        }
        solutions.push_back(std::move(solution));
    }
    return solutions;
}

Result<bool> decideHandSolution(NightFile& file,
                                const std::filesystem::path& frame,
                                const std::optional<HandSolution>& solution) {
    auto solutions = handSolutions(file);
    std::erase_if(solutions, [&](const HandSolution& s) { return s.frame == frame; });
    if (solution) {
        solutions.push_back(*solution);
    }
    json document = json::array();
    for (const HandSolution& one : solutions) {
        json offered = json::array();
        for (const auto& other : one.offeredTo) {
            offered.push_back(other.string());
        }
        document.push_back(
            {{"frame", one.frame.string()}, {"wcs", toJson(one.wcs)}, {"offered_to", offered}});
    }
    return file.setSetting(kHandSolutions, document.dump());
}

std::set<std::string> switchedOffObservations(const NightFile& file) {
    std::set<std::string> ids;
    for (const json& entry : parsed(file, kSwitchedOff)) {
        if (entry.is_string()) {
            ids.insert(entry.get<std::string>());
        }
    }
    return ids;
}

Result<bool> switchObservation(NightFile& file, const std::string& id, bool off) {
    auto ids = switchedOffObservations(file);
    if (off) {
        ids.insert(id);
    } else {
        ids.erase(id);
    }
    return file.setSetting(kSwitchedOff, json(ids).dump());
}

} // namespace pathmark::night
