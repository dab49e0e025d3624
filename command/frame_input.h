#pragma once

#include "command/console.h"
#include "core/frame/fits_file.h"
#include "core/frame/folder_scan.h"
#include "core/night/night_places.h"

#include <CLI/CLI.hpp>
#include <nlohmann/json_fwd.hpp>

#include <filesystem>
#include <optional>
#include <string>
#include <vector>

namespace pathmark::command {

/// How headers are read.
struct ReadingArguments {
    std::vector<std::string> kinds; ///< KIND=PART
    std::string equipment;

    /// Errors   frame.bad_equipment
    [[nodiscard]] Result<frame::ReadingRules> rules() const;
};

/// --as and --equipment.
void addReadingOptions(CLI::App& verb, ReadingArguments& arguments);

/// The frames that a verb is given, files and folders, and how their headers are read.
struct FrameArguments {
    std::vector<std::string> places;
    ReadingArguments reading;

    [[nodiscard]] std::vector<std::filesystem::path> paths() const {
        return {places.begin(), places.end()};
    }
};

/// The positional files and folders, --as and --equipment.
void addFrameArguments(CLI::App& verb, FrameArguments& arguments);

/// A night's folder and what counts of it, from what was named.
template <typename Options>
void takePlaces(const std::vector<std::filesystem::path>& places, Options& options) {
    options.folder = night::commonFolder(places);
    std::error_code ignored;
    if (places.size() != 1 || !std::filesystem::is_directory(places.front(), ignored)) {
        options.only = places;
    }
}

/// Frames one by one, for verbs that take each on its own.
struct FrameInput {
    frame::ReadingRules rules;
    frame::FrameList list; ///< of folders without bias, dark, flat and flat-dark frames and masters
};

/// Ends a verb that went through frames: complains of what failed, prints the object where it is wanted with a list of that, and
/// tells the exit status.
int endWith(const Console& console, nlohmann::json document, const std::vector<Error>& failures);

/// Errors   frame.bad_equipment
Result<FrameInput> framesOf(const FrameArguments& arguments);

} // namespace pathmark::command
