#include "command/console.h"
#include "core/calibrate/groups.h"
#include "core/calibrate/match.h"
#include "core/frame/folder_scan.h"

#include <CLI/CLI.hpp>
#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <memory>

namespace pathmark::command {
namespace {

struct GatherArguments {
    Console console;
    std::string folder;
};

nlohmann::json groupJson(const calibrate::FrameGroup& group) {
    nlohmann::json files = nlohmann::json::array();
    for (const auto& info : group.frames) {
        files.push_back(
            {{"file", info.path.string()},
             {"kind_reason", info.kindReason},
             {"time_reason", info.timeReason},
             {"mid_time",
              info.midExposure ? nlohmann::json(toIso(*info.midExposure)) : nlohmann::json()}});
    }
    return {{"title", group.title()}, {"kind", frame::name(group.example.kind)}, {"frames", files}};
}

int gather(const GatherArguments& arguments) {
    auto scan = frame::scanFolder(arguments.folder, arguments.console.job());
    if (!scan) {
        Console::complain(scan.error());
        return kSomeFailed;
    }
    for (const Error& error : scan->failures) {
        Console::complain(error);
    }
    const auto groups = calibrate::groupFrames(scan->frames);
    nlohmann::json list = nlohmann::json::array();
    for (const auto& group : groups) {
        nlohmann::json entry = groupJson(group);
        std::string text = fmt::format("{:4} x {}\n", group.frames.size(), group.title());
        if (group.example.kind == frame::FrameKind::Light) {
            const auto match = calibrate::matchMasters(group, groups);
            entry["reasons"] = match.reasons;
            entry["passed_over"] = match.passedOver;
            entry["warnings"] = match.warnings;
            for (const auto& reason : match.reasons) {
                text += "       " + reason + "\n";
            }
            for (const auto& warning : match.warnings) {
                text += "       ! " + warning + "\n";
            }
        }
        if (!arguments.console.json) {
            Console::print(text);
        }
        list.push_back(std::move(entry));
    }
    if (arguments.console.json) {
        nlohmann::json failures = nlohmann::json::array();
        for (const Error& error : scan->failures) {
            failures.push_back({{"file", error.subject}, {"message", error.detail}});
        }
        Console::print({{"groups", list}, {"failures", failures}});
    }
    return scan->failures.empty() ? kDone : kSomeFailed;
}

} // namespace

void addGatherVerb(CLI::App& program, Verb& chosen) {
    auto arguments = std::make_shared<GatherArguments>();
    CLI::App* verb =
        program.add_subcommand("gather", "Show what a folder holds and how it would be calibrated");
    verb->add_option("folder", arguments->folder, "The night's frames")->required();
    addCommonOptions(*verb, arguments->console);
    verb->final_callback(
        [arguments, &chosen] { chosen = [arguments] { return gather(*arguments); }; });
}

} // namespace pathmark::command
