#pragma once

#include "core/base/angle.h"
#include "core/base/error.h"
#include "core/base/job.h"
#include "core/base/time.h"
#include "core/frame/frame_info.h"

#include <nlohmann/json_fwd.hpp>

#include <functional>
#include <string>
#include <vector>

namespace CLI {
class App;
} // namespace CLI

namespace pathmark::command {

/// How a verb ended; what the shell sees.
enum ExitStatus : int { kDone = 0, kSomeFailed = 1, kWrongUse = 2 };

/// What every verb is told: options that are the same everywhere.
struct Console {
    bool json = false;
    bool quiet = false;
    int threads = 0;

    /// A job whose messages go to standard error and whose progress shows there on a terminal; the first
    /// interrupt from the keyboard asks it to stop.
    [[nodiscard]] Job job() const;

    /// Writes one line for a person to standard error, unless --quiet.
    void say(const std::string& text) const;

    /// Writes an error to standard error, always.
    static void complain(const Error& error);

    /// Writes one JSON object to standard output.
    static void print(const nlohmann::json& document);

    /// Writes text to standard output.
    static void print(const std::string& text);
};

/// Adds --json, --quiet and --threads to a verb.
void addCommonOptions(CLI::App& verb, Console& console);

/// A verb's body; returns its exit status.
using Verb = std::function<int()>;

/// Each adds its verb to the program; the chosen one is left in `chosen`.
void addArchiveVerb(CLI::App& program, Verb& chosen);
void addCalibrateVerb(CLI::App& program, Verb& chosen);
void addCatalogVerb(CLI::App& program, Verb& chosen);
void addDemoVerb(CLI::App& program, Verb& chosen);
void addDeskVerb(CLI::App& program, Verb& chosen);
void addDetectVerb(CLI::App& program, Verb& chosen);
void addEphemerisVerb(CLI::App& program, Verb& chosen);
void addGatherVerb(CLI::App& program, Verb& chosen);
void addHeaderVerb(CLI::App& program, Verb& chosen);
void addIdentifyVerb(CLI::App& program, Verb& chosen);
void addOrbitVerb(CLI::App& program, Verb& chosen);
void addRunVerb(CLI::App& program, Verb& chosen);
void addSimulateVerb(CLI::App& program, Verb& chosen);
void addSolveVerb(CLI::App& program, Verb& chosen);

/// Finite numbers as they are, others as null.
nlohmann::json finite(double value);

} // namespace pathmark::command
