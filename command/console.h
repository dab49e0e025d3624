#pragma once

#include "core/base/angle.h"
#include "core/base/error.h"
#include "core/base/job.h"
#include "core/base/time.h"
#include "core/frame/frame_info.h"

#include <nlohmann/json_fwd.hpp>

#include <functional>
#include <optional>
#include <string>
#include <vector>

namespace CLI {
class App;
} // namespace CLI

namespace pathmark::command {

/// How a verb ended; what the shell sees. A signal that ends the program gives 128 and its number.
enum ExitStatus : int {
    kDone = 0,
    kSomeFailed = 1,
    kWrongUse = 2,
    kInterrupted = 130,
    kTerminated = 143
};

/// What every verb is told: options that are the same everywhere.
struct Console {
    bool json = false;
    bool quiet = false;
    int threads = 0;

    /// A job whose messages go to standard error and whose progress shows there on a terminal; SIGINT and SIGTERM ask
    /// it to stop.
    [[nodiscard]] Job job() const;

    /// Writes one line for a person to standard error, unless --quiet.
    void say(const std::string& text) const;

    /// Writes an error to standard error, always. Where --json is given and nothing else is printed, the object that ends
    /// the program lists it.
    static void complain(const Error& error);

    /// Writes one JSON object to standard output.
    static void print(const nlohmann::json& document);

    /// Writes text to standard output.
    static void print(const std::string& text);
};

/// Watches for SIGINT and SIGTERM from now on, on a thread of its own: the first asks the job to stop, and where the
/// program has not ended a second later, or at the next signal, it is ended: finished files stay, half-written ones
/// are taken away. To be called before any other thread starts.
void watchForSignals(bool json);

/// Lets signals through again: before another program takes this one's place.
void unblockSignals();

/// The exit status of a program that ends with `status`: that of the signal where one came.
int exitStatus(int status);

/// Where --json was given and no object was printed yet: prints {"done": false, "failures": [...]} of what was complained of.
void printFailures();

/// Whether the words that the program was started with ask for JSON, whatever else is wrong with them.
bool wantsJson(int argc, char** argv);

/// Adds --json, --quiet and --threads to a verb.
void addCommonOptions(CLI::App& verb, Console& console);

/// A verb's body; returns its exit status.
using Verb = std::function<int()>;

/// Each adds its verb to the program; the chosen one is left in `chosen`.
void addArchiveVerb(CLI::App& program, Verb& chosen);
void addBatchVerb(CLI::App& program, Verb& chosen);
void addCalibrateVerb(CLI::App& program, Verb& chosen);
void addCandidateVerb(CLI::App& program, Verb& chosen);
void addCatalogVerb(CLI::App& program, Verb& chosen);
void addDecideVerb(CLI::App& program, Verb& chosen);
void addDemoVerb(CLI::App& program, Verb& chosen);
void addDeskVerb(CLI::App& program, Verb& chosen);
void addDetectVerb(CLI::App& program, Verb& chosen);
void addEphemerisVerb(CLI::App& program, Verb& chosen);
void addFetchVerb(CLI::App& program, Verb& chosen);
void addFilmVerb(CLI::App& program, Verb& chosen);
void addGatherVerb(CLI::App& program, Verb& chosen);
void addHeaderVerb(CLI::App& program, Verb& chosen);
void addIdentifyVerb(CLI::App& program, Verb& chosen);
void addManualVerb(CLI::App& program, Verb& chosen);
void addMatchesVerb(CLI::App& program, Verb& chosen);
void addMeasureVerb(CLI::App& program, Verb& chosen);
void addOrbitVerb(CLI::App& program, Verb& chosen);
void addParallaxVerb(CLI::App& program, Verb& chosen);
void addPhotometryVerb(CLI::App& program, Verb& chosen);
void addPictureVerb(CLI::App& program, Verb& chosen);
void addPieceVerb(CLI::App& program, Verb& chosen);
void addPrecoveryVerb(CLI::App& program, Verb& chosen);
void addReportVerb(CLI::App& program, Verb& chosen);
void addRunVerb(CLI::App& program, Verb& chosen);
void addSampVerb(CLI::App& program, Verb& chosen);
void addSendVerb(CLI::App& program, Verb& chosen);
void addSimulateVerb(CLI::App& program, Verb& chosen);
void addSolveVerb(CLI::App& program, Verb& chosen);
void addStackVerb(CLI::App& program, Verb& chosen);
void addSweepVerb(CLI::App& program, Verb& chosen);
void addThenVerb(CLI::App& program, Verb& chosen);
void addWatchVerb(CLI::App& program, Verb& chosen);
void addYearsVerb(CLI::App& program, Verb& chosen);

/// Finite numbers as they are, others as null.
nlohmann::json finite(double value);

/// The same of a value that may be absent: null.
nlohmann::json finite(const std::optional<double>& value);

} // namespace pathmark::command
