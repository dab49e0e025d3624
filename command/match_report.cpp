#include "command/match_report.h"

#include <CLI/CLI.hpp>
#include <fmt/format.h>
#include <nlohmann/json.hpp>

namespace pathmark::command {

using nlohmann::json;

json matchJson(const calibrate::MasterMatch& match, std::span<const calibrate::FrameGroup> groups) {
    json feeds = json::array();
    for (const auto& feed : match.choices) {
        json files = json::array();
        for (const auto& info : groups[feed.group].frames) {
            files.push_back(info.path.string());
        }
        feeds.push_back({{"role", name(feed.role)},
                         {"group", groups[feed.group].title()},
                         {"files", files},
                         {"ready", groups[feed.group].isReady()},
                         {"reason", feed.reason},
                         {"by_hand", feed.byHand}});
    }
    json passed = json::array();
    for (const auto& candidate : match.passedOver) {
        json terms = json::array();
        for (const auto& term : candidate.terms) {
            terms.push_back({{"term", term.name},
                             {"cost", term.cost},
                             {"hard", term.hard},
                             {"words", term.words}});
        }
        const auto* objection = candidate.objection();
        passed.push_back(
            {{"role", name(candidate.role)},
             {"group", groups[candidate.group].title()},
             {"fits", objection == nullptr},
             {"cost", candidate.cost()},
             {"why", objection != nullptr ? objection->words : candidate.costliestTerm()},
             {"terms", terms}});
    }
    return {{"feeds", feeds}, {"passed_over", passed}, {"warnings", match.warnings}};
}

std::string matchText(const calibrate::MasterMatch& match,
                      std::span<const calibrate::FrameGroup> groups,
                      bool explain) {
    std::string text;
    for (const auto& feed : match.choices) {
        text += fmt::format("       {:3} x {}\n", groups[feed.group].frames.size(), feed.reason);
    }
    for (const auto& warning : match.warnings) {
        text += "       ! " + warning + "\n";
    }
    if (!explain) {
        return text;
    }
    for (const auto& candidate : match.passedOver) {
        const auto* objection = candidate.objection();
        text += fmt::format("       passed over as {}: {} x {}: {}\n",
                            name(candidate.role),
                            groups[candidate.group].frames.size(),
                            groups[candidate.group].title(),
                            objection != nullptr ? objection->words
                            : candidate.costliestTerm().empty()
                                ? std::string("as good as the one chosen")
                                : fmt::format("it would do, but {}", candidate.costliestTerm()));
    }
    return text;
}

void addMasterOption(CLI::App& verb, std::vector<std::string>& use) {
    verb.add_option("--use",
                    use,
                    "ROLE=PART: the bias, dark, flat or flat-dark frames with a file whose path "
                    "holds PART are used, whatever fits better; ROLE=none: none is");
}

Result<std::vector<calibrate::Override>> mastersNamed(const std::vector<std::string>& use) {
    std::vector<calibrate::Override> all;
    for (const std::string& text : use) {
        const std::size_t equals = text.find('=');
        const auto role = calibrate::roleNamed(text.substr(0, equals));
        if (equals == std::string::npos || !role || equals + 1 == text.size()) {
            return fail(ErrorId::CalibrateBadOption,
                        fmt::format("--use takes ROLE=PART, as in flat=twilight/, or ROLE=none, "
                                    "with a role of bias, dark, flat or flat-dark; not '{}'.",
                                    text));
        }
        const std::string part = text.substr(equals + 1);
        all.push_back({*role, {}, part == "none" ? std::string() : part});
    }
    return all;
}

} // namespace pathmark::command
