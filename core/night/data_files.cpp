#include "core/night/data_files.h"

#include <cstdlib>

namespace pathmark::night {

namespace fs = std::filesystem;

fs::path dataFile(const fs::path& name) {
    if (const char* folder = std::getenv("PATHMARK_DATA")) {
        return fs::path(folder) / name;
    }
    std::error_code status;
    const auto program = fs::read_symlink("/proc/self/exe", status);
    return program.parent_path().parent_path() / "share" / "pathmark" / name;
}

fs::path observersSiteCodes() {
    const fs::path own = fs::path("pathmark") / "observatory-codes.txt";
    if (const char* folder = std::getenv("XDG_DATA_HOME")) {
        return fs::path(folder) / own;
    }
    const char* home = std::getenv("HOME");
    return fs::path(home == nullptr ? "" : home) / ".local" / "share" / own;
}

} // namespace pathmark::night
