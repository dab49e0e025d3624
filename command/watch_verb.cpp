#include "command/frame_input.h"
#include "command/run_options.h"
#include "core/night/failures_json.h"
#include "core/night/watch/night_watch.h"

#include <CLI/CLI.hpp>
#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <memory>

namespace pathmark::command {
namespace {

namespace fs = std::filesystem;
using night::WatchEvent;
using nlohmann::json;

struct WatchArguments {
    RunArguments run;
    double settleSeconds = 2.0;
    double untilIdleSeconds = 0.0; ///< 0: until it is stopped
    bool lines = false;
};

json skyOf(const WatchEvent& event, const char* key) {
    if (!event.sky) {
        return nullptr;
    }
    return std::string_view(key) == "ra" ? event.sky->longitude.degrees()
                                         : event.sky->latitude.degrees();
}

json jsonOf(const WatchEvent& event) {
    using Kind = WatchEvent::Kind;
    switch (event.kind) {
    case Kind::Frame:
        return {{"event", "frame"},
                {"file", event.file.string()},
                {"solved", event.isGood},
                {"ra", skyOf(event, "ra")},
                {"dec", skyOf(event, "dec")},
                {"reason", event.isGood ? json() : json(event.words)}};
    case Kind::Seen: return {{"event", "body"}, {"body", event.name}, {"seen", true}};
    case Kind::Missing: return {{"event", "body"}, {"body", event.name}, {"seen", false}};
    case Kind::Mover:
        return {{"event", "mover"},
                {"name", event.name},
                {"ra", skyOf(event, "ra")},
                {"dec", skyOf(event, "dec")},
                {"time", event.time ? json(toIso(*event.time)) : json()},
                {"rate_arcsec_per_min", event.rateArcsecPerMin},
                {"position_angle_deg", event.positionAngleDegrees}};
    case Kind::Folder:
        return {{"event", "folder"}, {"folder", event.file.string()}, {"there", event.isGood}};
    case Kind::Problem: return {{"event", "problem"}, {"message", event.words}};
    }
    return {};
}

/// Frames that fill, and what becomes of them.
int watch(const WatchArguments& a) {
    night::WatchOptions options;
    options.run = a.run.options;
    options.places.assign(a.run.places.begin(), a.run.places.end());
    takePlaces(options.places, options.run);
    if (a.run.options.recipe.empty()) {
        auto request = prepareRequestOf(a.run);
        if (!request) {
            Console::complain(request.error());
            return statusOf(request.error());
        }
        options.preparing = std::move(*request);
    }
    options.settleSeconds = a.settleSeconds;
    options.untilIdleSeconds = a.untilIdleSeconds;
    json events = json::array();
    options.onEvent = [&](const WatchEvent& event) {
        a.run.console.say(event.words);
        json line = jsonOf(event);
        if (a.lines) {
            Console::print(line.dump() + "\n");
        }
        if (a.run.console.json) {
            events.push_back(std::move(line));
        }
    };
    if (a.lines) {
        options.onMarked = [] { Console::print(std::string("{\"event\":\"marked\"}\n")); };
        options.onDeepened = [] { Console::print(std::string("{\"event\":\"deepened\"}\n")); };
    }
    const auto summary = night::watchNight(options, a.run.console.job());
    if (!summary) {
        Console::complain(summary.error());
        return statusOf(summary.error());
    }
    const auto& run = summary->run;
    json document{{"frames", run ? run->frames : 0},
                  {"lights", run ? run->lights : 0},
                  {"solved", run ? run->solved : 0},
                  {"bodies", run ? run->bodies : 0},
                  {"candidates", run ? run->candidates : 0},
                  {"measurements", run ? run->measurements : 0},
                  {"night", run ? json(run->nightFile.string()) : json()},
                  {"events", events}};
    return endWith(a.run.console, std::move(document), summary->failures);
}

int watchFolder(const WatchArguments& a) {
    const auto refuse = [](const std::string& why) {
        Console::complain({ErrorId::CommandWrongUse, why, {}});
        return kWrongUse;
    };
    if (!(a.settleSeconds >= 0.0 && a.settleSeconds <= 3600.0) || !(a.untilIdleSeconds >= 0.0)) {
        return refuse(
            "--settle must lie between 0 and 3600 seconds, --until-idle must be 0 or more.");
    }
    if (a.lines && a.run.console.json) {
        return refuse("--lines and --json do not go together: one object, or one for each event.");
    }
    if (!a.run.options.recipe.empty()) {
        if (const auto recipe = recipeFor(a.run); !recipe) {
            return refuse(recipe.error().detail);
        }
    }
    for (const std::string& place : a.run.places) {
        std::error_code ignored;
        if (!fs::is_directory(place, ignored)) {
            return refuse(fmt::format("{} is no folder.", place));
        }
    }
    return watch(a);
}

} // namespace

void addWatchVerb(CLI::App& program, Verb& chosen) {
    auto a = std::make_shared<WatchArguments>();
    CLI::App* verb = program.add_subcommand(
        "watch", "Work on frames as they land in a folder, and tell what is new");
    addRunOptions(*verb, a->run);
    verb->add_option("--settle",
                     a->settleSeconds,
                     "Seconds without a change after which a frame is whole, where the file system "
                     "does not say that it was closed");
    verb->add_option("--until-idle",
                     a->untilIdleSeconds,
                     "End when no frame has come for so many seconds; else when it is stopped");
    verb->add_flag("--lines", a->lines, "Each event as a line of JSON on standard output");
    verb->final_callback([a, &chosen] { chosen = [a] { return watchFolder(*a); }; });
}

} // namespace pathmark::command
