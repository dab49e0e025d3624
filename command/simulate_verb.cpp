#include "command/console.h"
#include "simulate/night.h"

#include <CLI/CLI.hpp>
#include <nlohmann/json.hpp>

#include <memory>

namespace pathmark::command {
namespace {

struct SimulateArguments {
    Console console;
    std::string scenario;
    std::string out;
};

int simulate(const SimulateArguments& arguments) {
    auto scenario = simulate::readScenario(arguments.scenario);
    if (!scenario) {
        Console::complain(scenario.error());
        return kWrongUse;
    }
    const Job job = arguments.console.job();
    if (auto done = simulate::simulateNight(*scenario, arguments.out, job); !done) {
        Console::complain(done.error());
        return kSomeFailed;
    }
    arguments.console.say("The made-up night is in " + arguments.out + ", the truth in truth.json");
    if (arguments.console.json) {
        Console::print({{"out", arguments.out}});
    }
    return kDone;
}

} // namespace

void addSimulateVerb(CLI::App& program, Verb& chosen) {
    auto arguments = std::make_shared<SimulateArguments>();
    CLI::App* verb = program.add_subcommand("simulate", "Make up a night from a scenario");
    verb->add_option("scenario", arguments->scenario, "Scenario (TOML)")->required();
    verb->add_option("--out", arguments->out, "Where the night goes")->required();
    addCommonOptions(*verb, arguments->console);
    verb->final_callback(
        [arguments, &chosen] { chosen = [arguments] { return simulate(*arguments); }; });
}

} // namespace pathmark::command
