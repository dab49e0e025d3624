#include "command/console.h"
#include "core/base/atomic_file.h"
#include "core/catalog/import.h"
#include "core/night/data_files.h"
#include "simulate/night.h"

#include <CLI/CLI.hpp>
#include <nlohmann/json.hpp>

#include <filesystem>
#include <fstream>
#include <iterator>
#include <memory>

namespace pathmark::command {
namespace {

namespace fs = std::filesystem;

struct DemoArguments {
    Console console;
    std::string out;
};

Result<bool> copyText(const fs::path& from, const fs::path& to) {
    std::ifstream stream(from, std::ios::binary);
    const std::string text{std::istreambuf_iterator<char>(stream), {}};
    if (!stream) {
        return fail(ErrorId::FrameNotReadable,
                    "A file of the program is missing; install it again.",
                    from.string());
    }
    return writeWholeText(to, text);
}

Result<bool> makeDemo(const fs::path& out, const Job& job) {
    const fs::path scenarioFile = night::dataFile("demo/scenario.toml");
    auto scenario = simulate::readScenario(scenarioFile);
    if (!scenario) {
        return fail(scenario.error());
    }
    if (auto made = makeFolder(out); !made) {
        return made;
    }
    if (auto done = simulate::simulateNight(*scenario, out, job); !done) {
        return done;
    }
    const auto stars =
        catalog::importTables({out / "catalog" / "stars.csv"}, out / "catalog", "demo", job);
    if (!stars) {
        return fail(stars.error());
    }
    if (auto done = copyText(night::dataFile("demo/recipe.toml"), out / "recipe.toml"); !done) {
        return done;
    }
    // Last of all: its presence says that the demo night is whole.
    return copyText(scenarioFile, out / "scenario.toml");
}

int demo(const DemoArguments& arguments) {
    if (auto done = makeDemo(arguments.out, arguments.console.job()); !done) {
        Console::complain(done.error());
        return kSomeFailed;
    }
    arguments.console.say("The demo night is in " + arguments.out + "; next: pathmark run " +
                          arguments.out + " --recipe " + arguments.out + "/recipe.toml --out " +
                          arguments.out + "/results");
    if (arguments.console.json) {
        Console::print({{"out", arguments.out}});
    }
    return kDone;
}

} // namespace

void addDemoVerb(CLI::App& program, Verb& chosen) {
    auto arguments = std::make_shared<DemoArguments>();
    CLI::App* verb =
        program.add_subcommand("demo", "Make the demo night with its catalogue and recipe");
    verb->add_option("--out", arguments->out, "Where it goes")->required();
    addCommonOptions(*verb, arguments->console);
    verb->final_callback(
        [arguments, &chosen] { chosen = [arguments] { return demo(*arguments); }; });
}

} // namespace pathmark::command
