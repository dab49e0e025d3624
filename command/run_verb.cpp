#include "command/console.h"
#include "command/frame_input.h"
#include "core/night/failures_json.h"
#include "core/night/run_night.h"
#include "core/night/steps/step.h"

#include <CLI/CLI.hpp>
#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <memory>

namespace pathmark::command {
namespace {

struct RunArguments {
    Console console;
    std::vector<std::string> places;
    night::RunOptions options;
    bool explain = false;
};

/// Errors in how the program was called, as opposed to in the night.
bool isWrongUse(const Error& error) {
    return error.id == ErrorId::NightBadRecipe;
}

int run(const RunArguments& arguments) {
    const Job job = arguments.console.job();
    night::RunOptions options = arguments.options;
    takePlaces({arguments.places.begin(), arguments.places.end()}, options);
    auto summary = night::runNight(options, job);
    if (!summary) {
        Console::complain(summary.error());
        return isWrongUse(summary.error()) ? kWrongUse : kSomeFailed;
    }
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
    if (arguments.explain) {
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
    auto arguments = std::make_shared<RunArguments>();
    CLI::App* verb =
        program.add_subcommand("run", "Take a whole night from its folder to the report");
    verb->add_option(
            "frames", arguments->places, "The night's frames: a folder, or files and folders")
        ->required();
    verb->add_option("--recipe", arguments->options.recipe, "What to make of it (TOML)")
        ->required();
    verb->add_option("--out", arguments->options.out, "Where the results go")->required();
    verb->add_option(
        "--night", arguments->options.nightFile, "Night file; OUT/night.pmnight by default");
    verb->add_flag("--explain",
                   arguments->explain,
                   "Say what each step takes and makes, and where its products lie");
    addCommonOptions(*verb, arguments->console);
    verb->final_callback(
        [arguments, &chosen] { chosen = [arguments] { return run(*arguments); }; });
}

} // namespace pathmark::command
