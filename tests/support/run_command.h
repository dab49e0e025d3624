#pragma once

#include "tests/support/shell.h"
#include "tests/support/temporary_folder.h"

#include <fmt/format.h>

#include <string>

namespace pathmark::test_support {

struct Ended {
    int status = -1;
    std::string errors;
    std::string output;
};

/// Runs the finished program through the shell; `before` goes in front of it.
inline Ended runCommand(const std::string& arguments,
                        const TemporaryFolder& folder,
                        const std::string& before = {}) {
    const auto out = folder / "stdout.txt";
    const auto err = folder / "stderr.txt";
    const std::string line = fmt::format(
        "{}'{}' {} >'{}' 2>'{}'", before, PATHMARK_COMMAND, arguments, out.string(), err.string());
    return {runLine(line), contentOf(err), contentOf(out)};
}

} // namespace pathmark::test_support
