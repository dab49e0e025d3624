#pragma once

#include "core/batch/campaign.h"

#include <stop_token>

namespace pathmark::batch {

/// What came of a piece that this machine was given.
enum class PieceOutcome {
    Done,     ///< its results are in the shared folder
    DoneThen, ///< they were there already, or came from elsewhere meanwhile
    NotReady, ///< what it needs is not there yet
    Failed,   ///< it is noted what went wrong
    Stopped,
};

/// Does one piece: the command works in a folder of this machine, and what it made is brought to the shared folder in one go. `scratch`
/// is that folder: empty, and gone when the caller is done with it.
///
/// Model    The command is asked for JSON (--json). Exit status 0, or 1 with an object that does not say {"done": false}: the results count, with what failed of them.
///          2: it would fail again.
/// Errors   base.cannot_write, base.disk_full  of the shared folder; batch.no_engine
Result<PieceOutcome> runPiece(const Campaign& campaign,
                              const Piece& piece,
                              const std::filesystem::path& scratch,
                              const std::stop_token& stop);

} // namespace pathmark::batch
