#include "command/open_night.h"

#include "command/console.h"

#include <filesystem>

namespace pathmark::command {

std::optional<night::NightFile> openNight(const std::string& path, int& status) {
    std::error_code ignored;
    if (!std::filesystem::is_regular_file(path, ignored)) {
        Console::complain({ErrorId::NightFileDamaged, "There is no such night file.", path});
        status = kWrongUse;
        return std::nullopt;
    }
    auto file = night::NightFile::open(path);
    if (!file) {
        Console::complain(file.error());
        status = kSomeFailed;
        return std::nullopt;
    }
    return std::move(*file);
}

} // namespace pathmark::command
