#include "command/console.h"
#include "core/night/sky_tables.h"

#include <CLI/CLI.hpp>

#include <exception>
#include <iostream>

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
    addBatchVerb(program, verb);
    addCalibrateVerb(program, verb);
    addCandidateVerb(program, verb);
    addCatalogVerb(program, verb);
    addDecideVerb(program, verb);
    addDemoVerb(program, verb);
    addDeskVerb(program, verb);
    addDetectVerb(program, verb);
    addEphemerisVerb(program, verb);
    addFetchVerb(program, verb);
    addFilmVerb(program, verb);
    addGatherVerb(program, verb);
    addHeaderVerb(program, verb);
    addIdentifyVerb(program, verb);
    addManualVerb(program, verb);
    addMatchesVerb(program, verb);
    addMeasureVerb(program, verb);
    addOrbitVerb(program, verb);
    addParallaxVerb(program, verb);
    addPhotometryVerb(program, verb);
    addPictureVerb(program, verb);
    addPieceVerb(program, verb);
    addPrecoveryVerb(program, verb);
    addReportVerb(program, verb);
    addSampVerb(program, verb);
    addSendVerb(program, verb);
    addRunVerb(program, verb);
    addSimulateVerb(program, verb);
    addSolveVerb(program, verb);
    addStackVerb(program, verb);
    addSweepVerb(program, verb);
    addThenVerb(program, verb);
    addWatchVerb(program, verb);
    addYearsVerb(program, verb);
    try {
        program.parse(argc, argv);
    } catch (const CLI::ParseError& error) {
        if (error.get_exit_code() == 0) {
            program.exit(error);
            return kDone;
        }
        const auto left = program.remaining();
        const bool noVerb =
            error.get_exit_code() == static_cast<int>(CLI::ExitCodes::RequiredError) &&
            program.get_subcommands().empty() && !left.empty() && left.front().front() != '-';
        const std::string why =
            noVerb ? "'" + left.front() + "' is no command of pathmark" : error.what();
        Console::complain({ErrorId::CommandWrongUse, why + "; see 'pathmark --help'.", {}});
        return kWrongUse;
    }
    night::useShippedLeapSeconds();
    return verb();
}

/// Whatever happens, the program ends with a status and, where it was asked for, one JSON object.
int guarded(int argc, char** argv) {
    int status = kSomeFailed;
    try {
        status = runProgram(argc, argv);
    } catch (const std::exception& error) {
        Console::complain(errorOf(error));
    } catch (...) {
        Console::complain(
            {ErrorId::BaseInternal, "An error of the program itself; please report it.", {}});
    }
    printFailures();
    std::cout.flush();
    return exitStatus(status);
}

} // namespace
} // namespace pathmark::command

int main(int argc, char** argv) {
    pathmark::command::watchForSignals(pathmark::command::wantsJson(argc, argv));
    return pathmark::command::guarded(argc, argv);
}
