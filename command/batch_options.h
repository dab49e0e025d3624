#pragma once

#include "command/console.h"
#include "core/batch/conductor.h"

#include <functional>
#include <memory>
#include <string>
#include <vector>

namespace pathmark::command {

/// Where pieces of work are done.
struct BatchOptions {
    std::string engine; ///< "slurm" or "here"; empty: the work is not cut
    std::string work;   ///< the shared folder of pieces and results
    int atOnce = 0;     ///< on this machine; 0: as many as cores
    int pieceFrames = 0;
    std::vector<std::string> slurm; ///< further options of sbatch

    [[nodiscard]] bool isBatch() const { return !engine.empty(); }
};

/// --batch, --work, --piece, --at-once, --slurm.
void addBatchOptions(CLI::App& verb, BatchOptions& options);

/// An engine by its name.
std::unique_ptr<batch::Engine>
engineFor(const batch::Campaign& campaign, const BatchOptions& options, const Console& console);

/// Told of each piece as it is done.
using PieceDone = std::function<void(const batch::Campaign&, const std::string&)>;

/// Begins or goes on with a campaign, and waits until all its pieces are done or given up; those are complained of.
///
/// Errors   batch.*, base.*
Result<batch::Campaign> conductPieces(const std::string& kind,
                                      std::vector<batch::Piece> pieces,
                                      const BatchOptions& options,
                                      const Console& console,
                                      batch::CampaignState& state,
                                      const PieceDone& onDone = {});

/// What a piece that goes through so many megapixels is expected to take.
batch::Asked expectedFor(double megapixels, double largestFrame);

/// Megapixels of frames by the sizes of their files.
double megapixelsOf(const std::vector<std::filesystem::path>& files);

} // namespace pathmark::command
