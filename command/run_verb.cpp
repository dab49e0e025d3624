#include "command/frame_input.h"
#include "command/run_options.h"
#include "core/night/failures_json.h"
#include "core/night/steps/step.h"

#include <CLI/CLI.hpp>
#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <memory>

namespace pathmark::command {
namespace {

struct RunVerbArguments {
    RunArguments run;
    bool explain = false;
};

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
    verb->final_callback([a, &chosen] { chosen = [a] { return run(*a); }; });
}

} // namespace pathmark::command
