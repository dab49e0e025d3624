#include "command/console.h"

#include <CLI/CLI.hpp>

#include <exception>

int main(int argc, char** argv) {
    using namespace pathmark;
    using namespace pathmark::command;
    CLI::App program(
        "Path Mark: a night's frames of minor planets and comets, from the camera to the report.");
    program.name("pathmark");
    program.set_version_flag("--version", "pathmark " PATHMARK_VERSION);
    program.require_subcommand(1);
    Verb verb;
    addCatalogVerb(program, verb);
    addDemoVerb(program, verb);
    addDeskVerb(program, verb);
    addDetectVerb(program, verb);
    addEphemerisVerb(program, verb);
    addGatherVerb(program, verb);
    addIdentifyVerb(program, verb);
    addRunVerb(program, verb);
    addSimulateVerb(program, verb);
    addSolveVerb(program, verb);
    try {
        program.parse(argc, argv);
    } catch (const CLI::ParseError& error) {
        const bool asked = error.get_exit_code() == 0;
        program.exit(error);
        return asked ? kDone : kWrongUse;
    }
    try {
        return verb();
    } catch (const std::exception& error) {
        Console::complain(
            {ErrorId::NightCannotStore,
             std::string("An error of the program itself; please report it: ") + error.what(),
             {}});
        return kSomeFailed;
    }
}
