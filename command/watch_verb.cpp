#include "command/frame_input.h"
#include "command/run_options.h"
#include "core/base/pause.h"
#include "core/frame/folder_scan.h"
#include "core/night/failures_json.h"
#include "core/night/night_file.h"

#include <CLI/CLI.hpp>
#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <algorithm>
#include <chrono>
#include <map>
#include <memory>
#include <set>

namespace pathmark::command {
namespace {

namespace fs = std::filesystem;
using Clock = std::chrono::steady_clock;
using nlohmann::json;

constexpr std::chrono::milliseconds kLookEvery{500};
constexpr double kSurelyLog10 = -3.0; ///< of false tracks, above which a mover is no news yet

struct WatchArguments {
    RunArguments run;
    double settleSeconds = 2.0;
    double untilIdleSeconds = 0.0; ///< 0: until it is stopped
    bool lines = false;
};

/// Frames of a folder that fills; one counts when neither its size nor its time has changed for a while.
class FillingFolder {
  public:
    FillingFolder(std::vector<fs::path> places, double settleSeconds)
        : places_(std::move(places)), settle_(settleSeconds) {}

    /// Those that are whole now.
    std::vector<fs::path> settled() {
        std::vector<fs::path> whole;
        const auto now = Clock::now();
        for (const fs::path& file : frame::listFrames(places_).files) {
            std::error_code ignored;
            const State state{fs::file_size(file, ignored), fs::last_write_time(file, ignored)};
            if (ignored) {
                continue; // it went, or is being renamed
            }
            Seen& seen = seen_[file];
            if (seen.state != state) {
                // What has lain there for long is whole at the first look.
                const std::chrono::duration<double> age =
                    fs::file_time_type::clock::now() - state.changed;
                const bool isOld = age.count() >= settle_;
                seen = {state, now, isOld};
            }
            seen.isWhole =
                seen.isWhole || std::chrono::duration<double>(now - seen.since).count() >= settle_;
            if (seen.isWhole) {
                whole.push_back(file);
            }
        }
        return whole;
    }

  private:
    struct State {
        std::uintmax_t size = 0;
        fs::file_time_type changed;

        friend bool operator==(const State&, const State&) = default;
    };

    struct Seen {
        State state;
        Clock::time_point since;
        bool isWhole = false;
    };

    std::vector<fs::path> places_;
    double settle_;
    std::map<fs::path, Seen> seen_;
};

/// What a night knows, as far as news are told of it.
struct Known {
    std::set<std::string> lights; ///< names
    std::set<std::string> seen;   ///< bodies
    std::set<std::string> missing;
    std::set<std::string> movers;
};

/// Tells what is new, as words and, where they are wanted, as lines of JSON.
class News {
  public:
    explicit News(const WatchArguments& a) : a_(a) {}

    void tell(const json& event, const std::string& words) {
        a_.run.console.say(words);
        if (a_.lines) {
            Console::print(event.dump() + "\n");
        }
        events_.push_back(event);
    }

    /// Compares a night with what was told of it.
    Result<bool> compare(const fs::path& nightFile);

    [[nodiscard]] const json& events() const { return events_; }

  private:
    Result<bool> tellLights(const night::NightFile& night);
    Result<bool> tellBodies(const night::NightFile& night);
    Result<bool> tellMovers(const night::NightFile& night);

    const WatchArguments& a_;
    Known known_;
    json events_ = json::array();
};

Result<bool> News::tellLights(const night::NightFile& night) {
    const auto lights = night.lights();
    if (!lights) {
        return fail(lights.error());
    }
    for (const auto& light : *lights) {
        const std::string name = light.raw.filename().string();
        if (!known_.lights.insert(light.raw.string()).second) {
            continue;
        }
        json event{{"event", "frame"},
                   {"file", light.raw.string()},
                   {"solved", light.solved()},
                   {"ra", nullptr},
                   {"dec", nullptr},
                   {"reason", light.solved() ? json() : json(light.problem)}};
        if (light.solved()) {
            event["ra"] = light.skyMiddle().longitude.degrees();
            event["dec"] = light.skyMiddle().latitude.degrees();
        }
        tell(event, name + (light.solved() ? ": solved" : ": not solved, " + light.problem));
    }
    return true;
}

/// Bodies within reach: seen for the first time, or looked for and not there.
Result<bool> News::tellBodies(const night::NightFile& night) {
    const auto measurements = night.measurements();
    if (!measurements) {
        return fail(measurements.error());
    }
    const auto tracks = night.tracks();
    if (!tracks) {
        return fail(tracks.error());
    }
    std::map<std::string, bool> seen;
    for (const auto& m : *measurements) {
        const bool isTrack = std::any_of(tracks->begin(), tracks->end(), [&](const auto& track) {
            return track.name == m.body.text();
        });
        if (isTrack) {
            continue; // news of its own
        }
        seen[m.body.text()] = seen[m.body.text()] || m.seen;
    }
    for (const auto& [body, isSeen] : seen) {
        if (isSeen && known_.seen.insert(body).second) {
            known_.missing.erase(body);
            tell({{"event", "body"}, {"body", body}, {"seen", true}}, body + ": seen");
        } else if (!isSeen && known_.seen.count(body) == 0 && known_.missing.insert(body).second) {
            tell({{"event", "body"}, {"body", body}, {"seen", false}},
                 body + ": within reach, and not seen");
        }
    }
    return true;
}

Result<bool> News::tellMovers(const night::NightFile& night) {
    const auto tracks = night.tracks();
    if (!tracks) {
        return fail(tracks.error());
    }
    for (const auto& track : *tracks) {
        if (track.falseTracksLog10 <= kSurelyLog10 && known_.movers.insert(track.name).second) {
            tell({{"event", "mover"},
                  {"name", track.name},
                  {"ra", track.place.longitude.degrees()},
                  {"dec", track.place.latitude.degrees()},
                  {"time", toIso(track.reference)},
                  {"rate_arcsec_per_min", track.rateArcsecPerMin},
                  {"position_angle_deg", track.positionAngleDegrees}},
                 fmt::format("{}: moves, and is no known body", track.name));
        }
    }
    return true;
}

Result<bool> News::compare(const fs::path& nightFile) {
    const auto night = night::NightFile::open(nightFile);
    if (!night) {
        return fail(night.error());
    }
    for (const auto told : {&News::tellLights, &News::tellBodies, &News::tellMovers}) {
        if (auto done = (this->*told)(*night); !done) {
            return done;
        }
    }
    return true;
}

/// What a watch does, round by round.
class Watch {
  public:
    explicit Watch(const WatchArguments& a)
        : a_(a), job_(a.run.console.job()),
          folder_({a.run.places.begin(), a.run.places.end()}, a.settleSeconds), news_(a) {}

    int run();

  private:
    void runNight(const std::vector<fs::path>& frames);

    [[nodiscard]] bool isIdle() const {
        return a_.untilIdleSeconds > 0.0 &&
               std::chrono::duration<double>(Clock::now() - lastNew_).count() > a_.untilIdleSeconds;
    }

    const WatchArguments& a_;
    Job job_;
    FillingFolder folder_;
    News news_;
    Clock::time_point lastNew_ = Clock::now();
    std::optional<night::RunSummary> summary_;
    std::optional<Error> problem_; ///< of the last round
};

/// The same run as any other, over the frames that are whole: what earlier rounds made is there already.
void Watch::runNight(const std::vector<fs::path>& frames) {
    problem_.reset();
    RunArguments arguments = a_.run;
    arguments.places.clear();
    for (const fs::path& frame : frames) {
        arguments.places.push_back(frame.string());
    }
    const auto recipe = recipeFor(arguments);
    if (!recipe) {
        problem_ = recipe.error();
        return;
    }
    night::RunOptions options = a_.run.options;
    options.recipe = recipe->recipe;
    takePlaces({a_.run.places.begin(), a_.run.places.end()}, options);
    options.only = frames;
    auto summary = night::runNight(options, job_);
    if (!summary) {
        problem_ = summary.error();
        return;
    }
    if (auto told = news_.compare(summary->nightFile); !told) {
        problem_ = told.error();
    }
    summary_ = std::move(*summary);
}

int Watch::run() {
    std::vector<fs::path> done;
    while (!job_.stop.stop_requested() && !isIdle()) {
        auto whole = folder_.settled();
        if (whole != done) {
            lastNew_ = Clock::now();
            runNight(whole);
            if (problem_ && problem_->id == ErrorId::BaseCancelled) {
                break;
            }
            if (problem_) {
                // The first frames alone may make no night yet: no light, no pointing.
                a_.run.console.say(toMessage(*problem_));
            }
            done = std::move(whole);
            lastNew_ = Clock::now();
        }
        if (!pauseFor(kLookEvery, job_.stop)) {
            break;
        }
    }
    std::vector<Error> failures;
    if (summary_) {
        failures = summary_->failures;
    }
    if (problem_ && problem_->id != ErrorId::BaseCancelled) {
        failures.push_back(*problem_);
    }
    if (!summary_ && problem_ && statusOf(*problem_) == kWrongUse) {
        Console::complain(*problem_);
        return kWrongUse;
    }
    json document{{"frames", summary_ ? summary_->frames : 0},
                  {"lights", summary_ ? summary_->lights : 0},
                  {"solved", summary_ ? summary_->solved : 0},
                  {"bodies", summary_ ? summary_->bodies : 0},
                  {"candidates", summary_ ? summary_->candidates : 0},
                  {"measurements", summary_ ? summary_->measurements : 0},
                  {"night", summary_ ? json(summary_->nightFile.string()) : json()},
                  {"events", news_.events()}};
    return endWith(a_.run.console, std::move(document), failures);
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
    return Watch(a).run();
}

} // namespace

void addWatchVerb(CLI::App& program, Verb& chosen) {
    auto a = std::make_shared<WatchArguments>();
    CLI::App* verb = program.add_subcommand(
        "watch", "Work on frames as they land in a folder, and tell what is new");
    addRunOptions(*verb, a->run);
    verb->add_option(
        "--settle", a->settleSeconds, "Seconds without a change after which a frame is whole");
    verb->add_option("--until-idle",
                     a->untilIdleSeconds,
                     "End when no frame has come for so many seconds; else when it is stopped");
    verb->add_flag("--lines", a->lines, "Each event as a line of JSON on standard output");
    verb->final_callback([a, &chosen] { chosen = [a] { return watchFolder(*a); }; });
}

} // namespace pathmark::command
