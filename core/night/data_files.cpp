#include "core/night/data_files.h"

#include <cstdlib>

namespace pathmark::night {

namespace fs = std::filesystem;

namespace {

/// pathmark/NAME in the folder that a variable names, else in the usual one below home.
fs::path inHome(const char* variable, const char* usual, const fs::path& name) {
    const fs::path own = fs::path("pathmark") / name;
    if (const char* folder = std::getenv(variable)) {
        return fs::path(folder) / own;
    }
    const char* home = std::getenv("HOME");
    return fs::path(home == nullptr ? "" : home) / usual / own;
}

} // namespace

fs::path dataFile(const fs::path& name) {
    if (const char* folder = std::getenv("PATHMARK_DATA")) {
        return fs::path(folder) / name;
    }
    std::error_code status;
    const auto program = fs::read_symlink("/proc/self/exe", status);
    return program.parent_path().parent_path() / "share" / "pathmark" / name;
}

fs::path observersData(const fs::path& name) {
    return inHome("XDG_DATA_HOME", ".local/share", name);
}

fs::path observersSettings(const fs::path& name) {
    return inHome("XDG_CONFIG_HOME", ".config", name);
}

fs::path observersSiteCodes() {
    return observersData("observatory-codes.txt");
}

} // namespace pathmark::night
