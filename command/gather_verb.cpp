#include "command/console.h"
#include "command/frame_input.h"
#include "command/match_report.h"
#include "core/base/parallel.h"
#include "core/calibrate/library.h"
#include "core/calibrate/odd_frames.h"
#include "core/frame/folder_scan.h"
#include "core/night/failures_json.h"
#include "core/night/first_look.h"
#include "core/night/steps/masters_step.h"

#include <CLI/CLI.hpp>
#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <memory>

namespace pathmark::command {
namespace {

using nlohmann::json;

struct GatherArguments {
    Console console;
    FrameArguments input;
    std::string library;
    std::vector<std::string> use;
    bool explain = false;
    bool quality = false;
};

json frameJson(const frame::FrameInfo& info) {
    json origins = json::array();
    for (const auto& origin : info.origins) {
        origins.push_back({{"what", origin.what}, {"value", origin.value}, {"from", origin.from}});
    }
    return {{"file", info.path.string()},
            {"note", info.note},
            {"kind_reason", info.kindReason},
            {"time_reason", info.timeReason},
            {"mid_time", info.midExposure ? json(toIso(*info.midExposure)) : json()},
            {"level_adu", info.sample ? json(info.sample->level) : json()},
            {"derived", origins},
            {"notes", info.notes}};
}

/// Looks at the lights of a series; what cannot be read is told.
void lookAt(const GatherArguments& arguments,
            const night::NightMatch& night,
            std::size_t series,
            json& files,
            std::vector<Error>& failures) {
    const auto& frames = night.groups[series].frames;
    const auto match = night.series.find(series);
    auto look = night::FirstLook::make(
        match == night.series.end() ? std::nullopt
                                    : night::FirstLook::underOf(match->second, night.groups));
    if (!look) {
        failures.push_back(look.error());
        return;
    }
    std::vector<Result<night::SourcesPart>> seen(frames.size());
    parallelFor(frames.size(), [&](std::size_t i) { seen[i] = look->at(frames[i]); });
    for (std::size_t i = 0; i < frames.size(); ++i) {
        if (!seen[i]) {
            failures.push_back(seen[i].error());
            continue;
        }
        const night::SourcesPart& part = *seen[i];
        files[i]["quality"] = {{"fwhm_px", part.fwhmPixels},
                               {"elongation", part.elongation},
                               {"stars", part.sources},
                               {"sky", part.skyElectrons},
                               {"noise", part.noiseElectrons},
                               {"problem", part.withoutSources}};
        if (!arguments.console.json) {
            Console::print(fmt::format("       {}: {}\n",
                                       frames[i].path.filename().string(),
                                       part.withoutSources.empty()
                                           ? fmt::format("FWHM {:.2f} px, elongation {:.2f}, {} "
                                                         "stars, sky {:.0f}, noise {:.1f}",
                                                         part.fwhmPixels,
                                                         part.elongation,
                                                         part.sources,
                                                         part.skyElectrons,
                                                         part.noiseElectrons)
                                           : part.withoutSources));
        }
    }
}

json groupJson(const calibrate::FrameGroup& group) {
    json files = json::array();
    for (const auto& info : group.frames) {
        files.push_back(frameJson(info));
    }
    return {{"title", group.title()},
            {"kind", frame::name(group.example.kind)},
            {"ready", group.isReady()},
            {"frames", files}};
}

void explainFrames(const calibrate::FrameGroup& group) {
    const auto& info = group.example;
    Console::print(
        fmt::format("       first frame {}: {}\n", info.path.filename().string(), info.timeReason));
    for (const auto& origin : info.origins) {
        Console::print(
            fmt::format("           {}: {} ({})\n", origin.what, origin.value, origin.from));
    }
}

int gather(const GatherArguments& arguments) {
    const Job job = arguments.console.job();
    const auto rules = arguments.input.reading.rules();
    if (!rules) {
        Console::complain(rules.error());
        return kWrongUse;
    }
    const auto use = mastersNamed(arguments.use);
    if (!use) {
        Console::complain(use.error());
        return kWrongUse;
    }
    auto scan = frame::scanFrames(arguments.input.paths(), job, *rules);
    if (!scan) {
        Console::complain(scan.error());
        return kSomeFailed;
    }
    for (const Error& error : scan->failures) {
        Console::complain(error);
    }
    std::vector<frame::FrameInfo> library;
    if (!arguments.library.empty()) {
        auto scanned = calibrate::scanLibrary(arguments.library, job);
        if (!scanned) {
            Console::complain(scanned.error());
            return kSomeFailed;
        }
        library = std::move(*scanned);
    }
    const night::NightMatch night = night::matchNight(scan->frames, library, {}, *use);
    const auto odd = calibrate::findOddFrames(scan->frames);
    json list = json::array();
    for (std::size_t i = 0; i < night.groups.size(); ++i) {
        const auto& group = night.groups[i];
        json entry = groupJson(group);
        if (!arguments.console.json) {
            Console::print(fmt::format("{:4} x {}\n", group.frames.size(), group.title()));
            if (arguments.explain) {
                explainFrames(group);
            }
        }
        if (const auto match = night.series.find(i); match != night.series.end()) {
            entry["match"] = matchJson(match->second, night.groups);
            if (!arguments.console.json) {
                Console::print(matchText(match->second, night.groups, arguments.explain));
            }
        }
        if (arguments.quality && group.example.kind == frame::FrameKind::Light) {
            lookAt(arguments, night, i, entry["frames"], scan->failures);
        }
        list.push_back(std::move(entry));
    }
    json unknown = json::array();
    json oddList = json::array();
    for (const auto& info : scan->frames) {
        if (info.kind == frame::FrameKind::Unknown) {
            unknown.push_back({{"file", info.path.string()}, {"why", info.kindReason}});
        }
    }
    for (const auto& frame : odd) {
        oddList.push_back(
            {{"file", frame.path.string()}, {"what", frame.what}, {"words", frame.words}});
        if (!arguments.console.json) {
            Console::print(
                fmt::format("   odd: {}: {}\n", frame.path.filename().string(), frame.words));
        }
    }
    if (arguments.console.json) {
        Console::print(json{{"groups", list},
                            {"odd", oddList},
                            {"unknown", unknown},
                            {"failures", night::failuresJson(scan->failures)}});
    } else if (!unknown.empty()) {
        Console::print(fmt::format(
            "{:4} x of unknown kind; say what they are with --as KIND=PART\n", unknown.size()));
    }
    return scan->failures.empty() ? kDone : kSomeFailed;
}

} // namespace

void addGatherVerb(CLI::App& program, Verb& chosen) {
    auto arguments = std::make_shared<GatherArguments>();
    CLI::App* verb = program.add_subcommand(
        "gather", "Show what frames there are and how they would be calibrated");
    addFrameArguments(*verb, arguments->input);
    addMasterOption(*verb, arguments->use);
    verb->add_option("--library", arguments->library, "Folder of masters of other nights");
    verb->add_flag("--explain",
                   arguments->explain,
                   "Say where every value comes from and what was passed over");
    verb->add_flag("--quality",
                   arguments->quality,
                   "Look at each light: width and number of stars, sky, noise");
    addCommonOptions(*verb, arguments->console);
    verb->final_callback(
        [arguments, &chosen] { chosen = [arguments] { return gather(*arguments); }; });
}

} // namespace pathmark::command
