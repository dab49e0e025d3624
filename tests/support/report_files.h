#pragma once

#include "tests/support/run_command.h"

#include <filesystem>
#include <map>
#include <string>

namespace pathmark::test_support {

/// Every report of a run, by name; what names the output folder itself is taken out of summary.json.
inline std::map<std::string, std::string> reportsIn(const std::filesystem::path& out) {
    std::map<std::string, std::string> reports;
    for (const char* name :
         {"report.psv", "report.xml", "report.80.txt", "measurements.csv", "summary.json"}) {
        std::string text = contentOf(out / name);
        const std::string own = out.string();
        for (std::size_t at = text.find(own); at != std::string::npos; at = text.find(own, at)) {
            text.replace(at, own.size(), "OUT");
        }
        reports[name] = text;
    }
    return reports;
}

/// Files that a run was writing when it ended.
inline bool hasLeftovers(const std::filesystem::path& out) {
    for (const auto& entry : std::filesystem::recursive_directory_iterator(out)) {
        if (entry.path().filename().string().find(".tmp") != std::string::npos) {
            return true;
        }
    }
    return false;
}

} // namespace pathmark::test_support
