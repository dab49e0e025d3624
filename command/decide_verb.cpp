#include "command/console.h"
#include "command/night_words.h"
#include "command/open_night.h"
#include "command/report_decisions.h"
#include "core/base/text.h"
#include "core/night/night_file.h"
#include "core/night/stack_brackets.h"
#include "core/night/stack_motion.h"

#include <CLI/CLI.hpp>
#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <algorithm>
#include <cmath>
#include <memory>
#include <tuple>

namespace pathmark::command {
namespace {

using night::MeasurementState;
using nlohmann::json;

struct DecideArguments {
    Console console;
    std::string nightFile;
    std::vector<std::string> keep;
    std::vector<std::string> park;
    std::vector<std::string> drop;
    std::vector<std::string> exclude;
    std::vector<std::string> include;
    std::vector<std::pair<std::string, std::string>> brackets;
    std::vector<std::string> noBrackets;
    std::vector<std::tuple<std::string, double, double>> motions;
    std::vector<std::string> noMotions;
    std::vector<std::tuple<std::string, double, double>> sweeps;
    std::vector<double> sweepAngle; ///< from and to, degrees
    double falseAlarms = 0.1;
    std::vector<std::string> noSweeps;
    ReportWishes report;
    std::string reason;
    int undo = 0;
    int redo = 0;
    bool history = false;
};

/// Adds to the words of an act.
void say(night::Act& act, std::string_view what, const std::string& about) {
    act.words += fmt::format("{}{} {}", act.words.empty() ? "" : ", ", what, about);
}

/// Stacks of their own for stretches of a series, and none any more.
Result<bool> addBrackets(const DecideArguments& a,
                         const night::NightFile& file,
                         std::span<const frame::FrameInfo> frames,
                         night::Act& act) {
    if (a.brackets.empty() && a.noBrackets.empty()) {
        return true;
    }
    const auto lights = file.lights();
    const auto history = file.history();
    if (!lights || !history) {
        return fail(lights ? history.error() : lights.error());
    }
    auto decided = night::Decided::after(*history);
    const auto add = [&](night::BracketStacks change, const char* what, const std::string& about) {
        decided.apply(change);
        act.decisions.emplace_back(std::move(change));
        say(act, what, about);
    };
    for (const std::string& word : a.noBrackets) {
        const auto frame = frameNamed(frames, word);
        if (!frame) {
            return fail(frame.error());
        }
        auto change = night::withoutBracket(*lights, decided, *frame);
        if (!change) {
            return fail(ErrorId::NightUnknownId, "That frame is in no bracket.", word);
        }
        add(*std::move(change), "no bracket about", word);
    }
    for (const auto& [first, last] : a.brackets) {
        const auto from = frameNamed(frames, first);
        const auto to = from ? frameNamed(frames, last) : from;
        if (!to) {
            return fail(to.error());
        }
        auto change = night::withBracket(*lights, decided, *from, *to);
        if (!change) {
            return fail(change.error());
        }
        add(*std::move(change), "stack", fmt::format("{} to {}", first, last));
    }
    return true;
}

/// Motions that bodies are added on, and their orbits' again.
Result<bool> addMotions(const DecideArguments& a, const night::NightFile& file, night::Act& act) {
    if (a.motions.empty() && a.noMotions.empty()) {
        return true;
    }
    const auto lights = file.lights();
    const auto predictions = file.predictions();
    if (!lights || !predictions) {
        return fail(lights ? predictions.error() : lights.error());
    }
    const auto add = [&](const std::string& body,
                         const std::optional<night::SkyMotion>& motion,
                         const std::string& how) -> Result<bool> {
        auto added = night::addOnMotion(*lights, *predictions, orbit::BodyId::of(body), motion);
        if (!added) {
            return fail(added.error());
        }
        act.decisions.insert(act.decisions.end(), added->begin(), added->end());
        say(act, "add", fmt::format("{} on {}", body, how));
        return true;
    };
    for (const std::string& body : a.noMotions) {
        if (auto done = add(body, std::nullopt, "its orbit"); !done) {
            return done;
        }
    }
    for (const auto& [body, rate, angle] : a.motions) {
        if (!(rate >= 0.0) || !std::isfinite(rate) || !std::isfinite(angle)) {
            return fail(ErrorId::NightUnknownId,
                        "A motion is a rate of 0 or more in arcsec per minute and a position angle "
                        "in degrees.",
                        body);
        }
        const auto motion = night::SkyMotion::towards(rate, angle);
        if (auto done = add(body, motion, fmt::format("{}\"/min, {} deg", rate, angle)); !done) {
            return done;
        }
    }
    return true;
}

/// Sweeps of the series of frames, and none any more.
Result<bool> addSweeps(const DecideArguments& a,
                       const night::NightFile& file,
                       std::span<const frame::FrameInfo> frames,
                       night::Act& act) {
    const auto decided = file.decided();
    const auto seriesOf = file.seriesOfFrames();
    if (!decided || !seriesOf) {
        return fail(decided ? seriesOf.error() : decided.error());
    }
    for (const std::string& word : a.noSweeps) {
        const auto frame = frameNamed(frames, word);
        if (!frame) {
            return fail(frame.error());
        }
        const auto known = decided->sweeps.find(seriesOf->at(*frame));
        if (known == decided->sweeps.end()) {
            return fail(ErrorId::NightUnknownId, "The series of that frame is not swept.", word);
        }
        for (const night::SweepWish& wish : known->second) {
            act.decisions.emplace_back(night::SweepSeries{known->first, wish, false});
        }
        say(act, "no sweep of", word);
    }
    for (const auto& [word, least, most] : a.sweeps) {
        const auto frame = frameNamed(frames, word);
        if (!frame) {
            return fail(frame.error());
        }
        night::SweepWish wish{least, most, {}, {}, a.falseAlarms, 3};
        if (!a.sweepAngle.empty()) {
            wish.fromDegrees = a.sweepAngle[0];
            wish.toDegrees = a.sweepAngle[1];
        }
        if (!(least >= 0.0) || !(most > least) || !std::isfinite(most) || !(a.falseAlarms > 0.0)) {
            return fail(ErrorId::NightUnknownId,
                        "A sweep takes a smaller and a larger rate in arcsec per minute, and "
                        "--false-alarms a number above 0.",
                        word);
        }
        act.decisions.emplace_back(night::SweepSeries{seriesOf->at(*frame), wish, true});
        say(act, "sweep", fmt::format("the series of {}, {:g} to {:g}\"/min", word, least, most));
    }
    return true;
}

Result<night::Act> actOf(const DecideArguments& a, const night::NightFile& file) {
    night::Act act;
    const auto measurements = file.measurements();
    const auto frames = file.frames();
    if (!measurements || !frames) {
        return fail(measurements ? frames.error() : measurements.error());
    }
    for (const auto& [words, state] : {std::pair{&a.keep, MeasurementState::Kept},
                                       std::pair{&a.park, MeasurementState::Parked},
                                       std::pair{&a.drop, MeasurementState::Dropped}}) {
        for (const std::string& word : *words) {
            const auto ids = measurementsNamed(*measurements, word);
            if (!ids) {
                return fail(ids.error());
            }
            for (const std::string& id : *ids) {
                act.decisions.emplace_back(night::JudgeMeasurement{
                    id,
                    state,
                    a.reason.empty() ? std::string("decided by the observer: ") + name(state)
                                     : a.reason});
            }
            say(act, name(state), word);
        }
    }
    for (const auto& [words, out] : {std::pair{&a.exclude, true}, std::pair{&a.include, false}}) {
        for (const std::string& word : *words) {
            const auto frame = frameNamed(*frames, word);
            if (!frame) {
                return fail(frame.error());
            }
            act.decisions.emplace_back(night::LeaveOut{*frame, out, a.reason});
            say(act, out ? "leave out" : "take back", word);
        }
    }
    if (auto added = addBrackets(a, file, *frames, act); !added) {
        return fail(added.error());
    }
    if (auto added = addMotions(a, file, act); !added) {
        return fail(added.error());
    }
    if (auto added = addSweeps(a, file, *frames, act); !added) {
        return fail(added.error());
    }
    if (auto added = addReportDecisions(a.report, a.reason, *measurements, file, act); !added) {
        return fail(added.error());
    }
    return act;
}

json historyJson(const std::vector<night::PastAct>& history) {
    json list = json::array();
    for (const auto& past : history) {
        list.push_back({{"number", past.number},
                        {"at", past.at},
                        {"words", past.act.words},
                        {"in_force", past.inForce},
                        {"decisions", json::parse(night::toText(past.act.decisions))}});
    }
    return list;
}

void printHistory(const std::vector<night::PastAct>& history) {
    for (const auto& past : history) {
        Console::print(fmt::format("{:4}  {:<20}  {}{}\n",
                                   past.number,
                                   past.at,
                                   past.act.words,
                                   past.inForce ? "" : "  (undone)"));
    }
}

Result<json> decideAll(const DecideArguments& a, night::NightFile& file) {
    json result{{"night", file.path().string()}};
    const auto act = actOf(a, file);
    if (!act) {
        return fail(act.error());
    }
    if (!act->decisions.empty()) {
        if (auto stored = file.decide(*act); !stored) {
            return fail(stored.error());
        }
    }
    result["decided"] = act->decisions.size();
    for (const auto& [count, what] : {std::pair{a.undo, "undone"}, std::pair{a.redo, "redone"}}) {
        auto acts = std::string_view(what) == "undone" ? file.undo(count) : file.redo(count);
        if (!acts) {
            return fail(acts.error());
        }
        json words = json::array();
        for (const auto& one : *acts) {
            words.push_back(one.words);
        }
        result[what] = words;
    }
    return result;
}

int decide(const DecideArguments& a) {
    int status = kDone;
    auto file = openNight(a.nightFile, status);
    if (!file) {
        return status;
    }
    auto result = decideAll(a, *file);
    if (!result) {
        Console::complain(result.error());
        const bool isWrongUse = result.error().id == ErrorId::NightUnknownId ||
                                result.error().id == ErrorId::CommandWrongUse;
        return isWrongUse ? kWrongUse : kSomeFailed;
    }
    const auto history = file->history();
    if (!history) {
        Console::complain(history.error());
        return kSomeFailed;
    }
    if (a.history) {
        (*result)["history"] = historyJson(*history);
    }
    if (a.console.json) {
        (*result)["done"] = true;
        Console::print(*result);
        return kDone;
    }
    if (a.history) {
        printHistory(*history);
    }
    a.console.say(fmt::format("{} decided, {} undone, {} redone. 'pathmark report' writes the "
                              "reports anew; frames left out count from the next run on.",
                              (*result)["decided"].get<int>(),
                              (*result)["undone"].size(),
                              (*result)["redone"].size()));
    return kDone;
}

} // namespace

void addDecideVerb(CLI::App& program, Verb& chosen) {
    auto a = std::make_shared<DecideArguments>();
    CLI::App* verb = program.add_subcommand(
        "decide", "Keep, park or drop measurements, leave frames out, undo and redo");
    verb->add_option("night", a->nightFile, "The night file")->required();
    verb->add_option("--keep", a->keep, "Measurements by id, or all of a body, to be reported");
    verb->add_option("--park", a->park, "Measurements to be thought about later");
    verb->add_option("--drop", a->drop, "Measurements that are wrong");
    verb->add_option("--exclude", a->exclude, "Frames to be left out, by name or id");
    verb->add_option("--include", a->include, "Frames to be taken back in");
    verb->add_option(
        "--bracket", a->brackets, "Two frames of a series: those between them make a stack");
    verb->add_option(
        "--no-bracket", a->noBrackets, "A frame whose bracket is taken away, by name or id");
    verb->add_option("--motion",
                     a->motions,
                     "A body, a rate (arcsec/min) and a position angle (degrees): it is stacked on "
                     "that motion instead of its orbit's");
    verb->add_option("--no-motion", a->noMotions, "A body that is stacked on its orbit again");
    verb->add_option("--sweep",
                     a->sweeps,
                     "A frame, a least and a most rate (arcsec/min): every run searches its series "
                     "along all motions between them");
    verb->add_option(
            "--sweep-angle", a->sweepAngle, "Position angles from, to, degrees, of --sweep")
        ->expected(2);
    verb->add_option(
        "--false-alarms", a->falseAlarms, "Candidates that chance may make in --sweep");
    verb->add_option("--no-sweep", a->noSweeps, "A frame whose series is no longer swept");
    addReportWishes(*verb, a->report);
    verb->add_option("--reason", a->reason, "Why; kept with the decision");
    verb->add_option("--undo", a->undo, "Take back so many acts, the latest first")
        ->check(CLI::Range(1, 1000000));
    verb->add_option("--redo", a->redo, "Make so many undone acts again")
        ->check(CLI::Range(1, 1000000));
    verb->add_flag("--history", a->history, "List every act");
    addCommonOptions(*verb, a->console);
    verb->final_callback([a, &chosen] { chosen = [a] { return decide(*a); }; });
}

} // namespace pathmark::command
