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

std::optional<night::Recipe>
recipeOf(const night::NightFile& file, const std::string& given, int& status) {
    auto recipe = night::readRecipe(given.empty() ? file.recipe() : std::filesystem::path(given));
    if (!recipe) {
        Console::complain(recipe.error());
        status = kWrongUse;
        return std::nullopt;
    }
    return std::move(*recipe);
}

} // namespace pathmark::command
