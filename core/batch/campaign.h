#pragma once

#include "core/base/result.h"

#include <cstdint>
#include <filesystem>
#include <map>
#include <optional>
#include <set>
#include <string>
#include <vector>

namespace pathmark::batch {

/// What a piece is expected to take; what an engine is asked for.
struct Asked {
    double memoryMegabytes = 1000.0;
    double seconds = 600.0; ///< of the clock
};

/// One piece of work: a command of the program with its words. In these "{out}" stands for the folder that the piece fills, and "{ID}" in
/// "{piece:ID}" for the results of another piece, which is then needed.
struct Piece {
    std::string id;                 ///< letters, digits, '-' and '_'; also the name of its folder
    std::vector<std::string> words; ///< without the program's own name
    std::vector<std::string> needs; ///< ids of pieces whose results it reads
    Asked asked;
    double size = 0.0; ///< megapixels that it goes through: what its cost is measured against
};

/// Pieces and the folder, shared by all machines, that holds them:
///
///     campaign.json   the pieces
///     jobs.json       what was handed to an engine
///     arrays/         lists of pieces, one for each array of jobs
///     pieces/ID/      the results of a piece and its sidecar, piece.json; there or not there
///     attempts/       what went wrong with a piece, a file each time
///     log/            what pieces wrote to standard error
struct Campaign {
    std::string id;
    std::string kind; ///< of the command that cut it: "run", "archive"
    std::filesystem::path folder;
    std::filesystem::path program;
    std::filesystem::path start; ///< where the command was given: names in words count from there
    std::vector<Piece> pieces;

    [[nodiscard]] const Piece* find(const std::string& piece) const;

    [[nodiscard]] std::filesystem::path resultsOf(const std::string& piece) const {
        return folder / "pieces" / piece;
    }
};

/// A word with every `mark` in it replaced.
std::string filledIn(std::string word, const std::string& mark, const std::string& by);

/// Begins a campaign, or goes on with the same one where it is there already.
///
/// Errors   batch.bad_campaign  the folder holds another one, or a piece is no piece
///          base.cannot_write, base.disk_full
Result<Campaign> beginCampaign(const std::filesystem::path& folder,
                               const std::string& kind,
                               const std::filesystem::path& program,
                               std::vector<Piece> pieces);

/// Errors   batch.bad_campaign  there is none, or it is damaged
Result<Campaign> readCampaign(const std::filesystem::path& folder);

/// What a piece took, as measured.
struct Cost {
    double seconds = 0.0;          ///< of the clock
    double processorSeconds = 0.0; ///< of all its threads
    double memoryMegabytes = 0.0;  ///< at most at one time
};

/// The sidecar of a piece's results.
struct PieceResult {
    std::string piece;
    int status = 0; ///< the command's exit status
    Cost cost;
    std::string machine;
    std::string answer;                         ///< what it wrote to standard output
    std::map<std::string, std::string> digests; ///< of its files, by their path below its folder
};

/// The results of a piece where they are there and what its sidecar says of its files is so as far as names and sizes tell.
std::optional<PieceResult> resultOf(const Campaign& campaign, const std::string& piece);

/// Whether every file of a piece's results still has the content that it was published with.
bool isIntact(const Campaign& campaign, const PieceResult& result);

/// Brings what a piece made, and its sidecar, into the shared folder: whole or not at all. Results that are there already stay, and the
/// new ones go: false.
///
/// Errors   base.cannot_write, base.disk_full
Result<bool>
publish(const Campaign& campaign, PieceResult result, const std::filesystem::path& made);

/// The pieces whose results are there, by one look at the folder.
std::set<std::string> publishedPieces(const Campaign& campaign);

/// What went wrong with a piece, each time.
struct Attempt {
    std::string words;
    std::string machine;
    bool isFinal = false; ///< would go wrong again
    Cost cost = {};
};

Result<bool>
noteAttempt(const Campaign& campaign, const std::string& piece, const Attempt& attempt);

/// Everything that went wrong, by piece, in order of time. `known` are the files that were read before: they are passed over, and those that
/// are read now join them.
std::map<std::string, std::vector<Attempt>> attemptsOf(const Campaign& campaign,
                                                       std::set<std::string>& known);

} // namespace pathmark::batch
