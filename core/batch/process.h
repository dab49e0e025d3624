#pragma once

#include "core/base/result.h"
#include "core/batch/campaign.h"

#include <filesystem>
#include <stop_token>
#include <string>
#include <vector>

namespace pathmark::batch {

/// Another program, and where what it writes goes.
struct Command {
    std::vector<std::string> words; ///< the program first; looked for in PATH where it has no '/'
    std::filesystem::path output;   ///< of standard output; empty: it is kept as text
    std::filesystem::path errors;   ///< of standard error, added to; empty: as output
    std::filesystem::path folder = {}; ///< that it begins in; empty: ours
};

/// How it ended.
struct Ended {
    int status = -1; ///< exit status; -1 where a signal ended it
    int signal = 0;
    std::string text; ///< the first megabytes of what it wrote, where no file took that
    Cost cost;
};

/// Runs a program to its end. When asked to stop, it is asked to end, and ended five seconds later.
///
/// Errors   batch.no_engine  there is no such program, or the machine has no room for another process
Result<Ended> runCommand(const Command& command, const std::stop_token& stop);

} // namespace pathmark::batch
