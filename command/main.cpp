#include "command/console.h"
#include "core/night/sky_tables.h"

#include <CLI/CLI.hpp>

#include <cstdio>
#include <exception>

namespace pathmark::command {
namespace {

int runProgram(int argc, char** argv) {
    CLI::App program(
        "Path Mark: a night's frames of minor planets and comets, from the camera to the report.");
    program.name("pathmark");
    program.set_version_flag("--version", "pathmark " PATHMARK_VERSION);
    program.require_subcommand(1);
    Verb verb;
    addArchiveVerb(program, verb);
    addCalibrateVerb(program, verb);
    addCatalogVerb(program, verb);
    addDemoVerb(program, verb);
    addDeskVerb(program, verb);
    addDetectVerb(program, verb);
    addEphemerisVerb(program, verb);
    addGatherVerb(program, verb);
    addHeaderVerb(program, verb);
    addIdentifyVerb(program, verb);
    addOrbitVerb(program, verb);
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
    night::useShippedLeapSeconds();
    return verb();
}

} // namespace
} // namespace pathmark::command

int main(int argc, char** argv) {
    try {
        return pathmark::command::runProgram(argc, argv);
    } catch (const std::exception& error) {
        // Nothing that throws: this is the last that can be said.
        std::fputs("An error of the program itself; please report it: ", stderr);
        std::fputs(error.what(), stderr);
        std::fputs("\n", stderr);
    } catch (...) {
        std::fputs("An error of the program itself; please report it.\n", stderr);
    }
    return 1;
}
