#pragma once

#include "command/batch_options.h"
#include "core/base/result.h"

#include <filesystem>
#include <string>
#include <vector>

namespace pathmark::command {

/// A night and the piece whose results are those of the night.
struct NightPieces {
    std::filesystem::path folder;
    std::string name; ///< of its results; each another
    std::string last; ///< the piece
};

/// Cuts nights into pieces: each is one; a night of more frames than a piece may have that is run is three and more: its masters, its
/// frames some at a time, and the rest. `words` are a verb's without the night; "{night}" in them is a night's folder, "{out}" that of its results.
///
/// Errors   frame.no_frames  a folder without a frame
///          command.wrong_use  a verb that cannot be given to an engine
Result<std::vector<batch::Piece>> cutNights(const std::vector<std::filesystem::path>& folders,
                                            const std::vector<std::string>& words,
                                            const BatchOptions& options,
                                            int threads,
                                            std::vector<NightPieces>& nights);

/// Brings the results of a night to OUT/NAME, whole or not at all, where they are not there already.
///
/// Errors   base.cannot_write  other results are there; base.disk_full
Result<bool> collectNight(const batch::Campaign& campaign,
                          const NightPieces& night,
                          const std::filesystem::path& out);

} // namespace pathmark::command
