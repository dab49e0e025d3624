#include "core/night/data_files.h"

#include <cstdlib>

namespace pathmark::night {

std::filesystem::path dataFile(const std::filesystem::path& name) {
    if (const char* folder = std::getenv("PATHMARK_DATA")) {
        return std::filesystem::path(folder) / name;
    }
    std::error_code status;
    const auto program = std::filesystem::read_symlink("/proc/self/exe", status);
    return program.parent_path().parent_path() / "share" / "pathmark" / name;
}

} // namespace pathmark::night
