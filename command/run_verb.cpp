#include "command/frame_input.h"
#include "command/run_options.h"
#include "core/night/failures_json.h"
#include "core/night/steps/step.h"

#include <CLI/CLI.hpp>
#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <cstdio>
#include <memory>
#include <optional>

namespace pathmark::command {
namespace {

struct RunVerbArguments {
    RunArguments run;
    bool explain = false;
    std::string part;
    std::vector<std::string> from;
};

/// "masters", or "FIRST:COUNT" of the lights.
std::optional<night::NightPart> partFrom(const std::string& text) {
    night::NightPart part;
    part.end = text == "masters" ? night::NightPart::End::Masters : night::NightPart::End::Frames;
    const bool isPart = text == "masters" ||
                        std::sscanf(text.c_str(), "%zu:%zu", &part.firstLight, &part.lights) == 2;
    return isPart ? std::optional(part) : std::nullopt;
}

int run(const RunVerbArguments& verb) {
    const RunArguments& arguments = verb.run;
    const Job job = arguments.console.job();
    night::RunOptions options = arguments.options;
    const auto recipe = recipeFor(arguments);
    if (!recipe) {
        Console::complain(recipe.error());
        return statusOf(recipe.error());
    }
    options.recipe = recipe->recipe;
    options.part = verb.part.empty() ? night::NightPart() : partFrom(verb.part).value();
    options.part.from.assign(verb.from.begin(), verb.from.end());
    takePlaces({arguments.places.begin(), arguments.places.end()}, options);
    auto summary = night::runNight(options, job);
    if (!summary) {
        Console::complain(summary.error());
        return summary.error().id == ErrorId::NightBadRecipe ? kWrongUse : kSomeFailed;
    }
    summary->failures.insert(
        summary->failures.begin(), recipe->problems.begin(), recipe->problems.end());
    for (const Error& error : summary->failures) {
        Console::complain(error);
    }
    arguments.console.say(fmt::format("{} of {} lights solved, {} known bodies in the field, {} "
                                      "candidates, {} measurements, {} kept for the report",
                                      summary->solved,
                                      summary->lights,
                                      summary->bodies,
                                      summary->candidates,
                                      summary->measurements,
                                      summary->kept));
    arguments.console.say(fmt::format(
        "The reports are in {}; the night file is {}. 'pathmark desk {}' shows the night.",
        summary->out.string(),
        summary->nightFile.string(),
        summary->nightFile.string()));
    if (verb.explain) {
        if (const auto file = night::NightFile::open(summary->nightFile)) {
            arguments.console.say(night::explainSteps(*file));
        }
    }
    if (arguments.console.json) {
        Console::print({{"done", true},
                        {"frames", summary->frames},
                        {"lights", summary->lights},
                        {"solved", summary->solved},
                        {"bodies", summary->bodies},
                        {"candidates", summary->candidates},
                        {"measurements", summary->measurements},
                        {"kept", summary->kept},
                        {"night", summary->nightFile.string()},
                        {"failures", night::failuresJson(summary->failures)}});
    }
    return summary->failures.empty() ? kDone : kSomeFailed;
}

} // namespace

void addRunVerb(CLI::App& program, Verb& chosen) {
    auto a = std::make_shared<RunVerbArguments>();
    CLI::App* verb =
        program.add_subcommand("run", "Take a whole night from its folder to the report");
    addRunOptions(*verb, a->run);
    verb->add_flag(
        "--explain", a->explain, "Say what each step takes and makes, and where its products lie");
    // What 'batch' gives its pieces.
    verb->add_option("--part", a->part, "masters, or FIRST:COUNT of the lights")
        ->check([](const std::string& text) {
            return partFrom(text) ? std::string() : "'" + text + "' is no part of a night";
        })
        ->group("");
    verb->add_option("--from", a->from, "Results of other parts")->group("");
    verb->final_callback([a, &chosen] { chosen = [a] { return run(*a); }; });
}

} // namespace pathmark::command
