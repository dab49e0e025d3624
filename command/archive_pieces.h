#pragma once

#include "command/batch_options.h"
#include "command/body_search.h"
#include "command/frame_input.h"
#include "core/identify/archive_table.h"

#include <nlohmann/json.hpp>

#include <cstddef>
#include <optional>
#include <string>
#include <vector>

// What `archive` was asked and what it finds, and the same work by pieces.
namespace pathmark::command {

struct ArchiveArguments {
    Console console;
    FrameArguments input;
    BodySearchOptions search;
    std::optional<double> limit;
    std::vector<std::string> bodies;
    std::string wcsFolder;
    std::string store;
    std::string catalog;
    std::string csv;
    std::string votable;
    BatchOptions batch;
};

/// A row, and what of it is printed as JSON, to all its digits.
struct ArchiveFoundRow {
    identify::ArchiveRow row;
    nlohmann::json entry;
};

struct ArchiveFound {
    std::vector<ArchiveFoundRow> rows;
    std::size_t frames = 0;
    std::size_t unsolved = 0;
    bool complete = true;
};

/// A row as JSON.
nlohmann::json archiveEntry(const identify::ArchiveRow& row);

/// Looks through the frames by pieces: on this machine or on an engine, as one go would have it.
///
/// Errors   those of conductPieces; identify.bad_archive where a piece's list cannot be read
Result<ArchiveFound> lookThroughPieces(const ArchiveArguments& a, const FrameInput& input);

} // namespace pathmark::command
