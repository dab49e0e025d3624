#pragma once

#include "tests/support/temporary_folder.h"

#include <fmt/format.h>
#include <sys/wait.h>

#include <cstdlib>
#include <fstream>
#include <iterator>
#include <string>

namespace pathmark::test_support {

inline std::string contentOf(const std::filesystem::path& path) {
    std::ifstream stream(path, std::ios::binary);
    return {std::istreambuf_iterator<char>(stream), {}};
}

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
    const int status = std::system(line.c_str());
    // As a shell tells it: 128 and the number of the signal.
    const int code = WIFEXITED(status)     ? WEXITSTATUS(status)
                     : WIFSIGNALED(status) ? 128 + WTERMSIG(status)
                                           : -1;
    return {code, contentOf(err), contentOf(out)};
}

} // namespace pathmark::test_support
