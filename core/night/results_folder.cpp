#include "core/night/results_folder.h"

#include "core/base/atomic_file.h"

#include <regex>

namespace pathmark::night {
namespace {

namespace fs = std::filesystem;

/// Temporary files that a killed run left where runs write; only names of the form that writeWhole gives.
void removeLeftovers(const fs::path& out) {
    static const std::regex form("^\\..+\\.[0-9]+\\.tmp(\\..*)?$");
    for (const fs::path& folder : {out, out / "masters", out / "calibrated", out / "stacks"}) {
        std::error_code status;
        for (const auto& entry : fs::directory_iterator(folder, status)) {
            if (std::regex_match(entry.path().filename().string(), form)) {
                std::error_code ignored;
                fs::remove(entry.path(), ignored);
            }
        }
    }
}

/// A folder without a night file that holds what a run would write: somebody else's files.
std::optional<Error> foreignResults(const fs::path& out, const fs::path& nightFile) {
    std::error_code status;
    if (fs::exists(nightFile, status)) {
        return std::nullopt;
    }
    for (const char* name : {"masters",
                             "calibrated",
                             "stacks",
                             "report.psv",
                             "report.xml",
                             "report.80.txt",
                             "measurements.csv",
                             "comets.csv",
                             "summary.json"}) {
        if (fs::exists(out / name, status)) {
            return Error{
                ErrorId::BaseCannotWrite,
                "Is there already and was not written by a run; nothing of it is touched. Choose "
                "another output folder.",
                (out / name).string()};
        }
    }
    return std::nullopt;
}

} // namespace

Result<Results>
openResults(const fs::path& folder, const fs::path& out, const fs::path& nightFile) {
    std::error_code status;
    if (!fs::is_directory(folder, status)) {
        return fail(ErrorId::FrameNoFrames,
                    "There is no such folder; give the folder that holds the night's frames.",
                    folder.string());
    }
    if (auto made = makeFolder(out); !made) {
        return fail(made.error());
    }
    const fs::path path = nightFile.empty() ? out / "night.pmnight" : nightFile;
    if (const auto foreign = foreignResults(out, path)) {
        return fail(*foreign);
    }
    auto lock = FolderLock::take(out);
    if (!lock) {
        return fail(lock.error());
    }
    removeLeftovers(out);
    auto file = NightFile::open(path);
    if (!file) {
        return fail(file.error());
    }
    return Results{std::move(*lock), std::move(*file)};
}

std::string fileWord(const std::string& body) {
    std::string word;
    for (const char c : body) {
        if (std::isalnum(static_cast<unsigned char>(c)) != 0) {
            word += c;
        } else if (c == ' ' || c == '/') {
            word += '-';
        }
    }
    return word;
}

} // namespace pathmark::night
