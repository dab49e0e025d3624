#include "command/batch_options.h"

#include "core/batch/local_engine.h"
#include "core/batch/slurm_engine.h"

#include <CLI/CLI.hpp>

#include <algorithm>
#include <thread>

namespace pathmark::command {
namespace {

namespace fs = std::filesystem;

/// This very program, for the machines that share its folder.
fs::path ownProgram() {
    std::error_code status;
    const fs::path path = fs::read_symlink("/proc/self/exe", status);
    return status ? fs::path("pathmark") : path;
}

/// Between two looks: often enough to see the end soon, seldom enough for a shared disk.
constexpr std::chrono::milliseconds kPauseHere{200};
constexpr std::chrono::milliseconds kPauseSlurm{1000};

} // namespace

void addBatchOptions(CLI::App& verb, BatchOptions& o) {
    auto* engine = verb.add_option("--batch",
                                   o.engine,
                                   "Cut the work into pieces and have them done by: slurm, or here")
                       ->check(CLI::IsMember({"slurm", "here"}));
    auto* work = verb.add_option(
        "--work", o.work, "Folder that all machines share: the pieces and what came of them");
    engine->needs(work);
    verb.add_option("--piece", o.pieceFrames, "Frames of a piece at most")
        ->check(CLI::Range(1, 100000));
    verb.add_option("--at-once", o.atOnce, "Pieces at a time on this machine")
        ->check(CLI::Range(1, 1024));
    verb.add_option("--slurm", o.slurm, "Another option for sbatch, as --slurm=--partition=long")
        ->expected(1)
        ->take_all();
}

std::unique_ptr<batch::Engine>
engineFor(const batch::Campaign& campaign, const BatchOptions& options, const Console& console) {
    if (options.engine == "slurm") {
        return std::make_unique<batch::SlurmEngine>(
            campaign, std::max(1, console.threads), options.slurm);
    }
    const int cores = static_cast<int>(std::max(1U, std::thread::hardware_concurrency()));
    return std::make_unique<batch::LocalEngine>(campaign,
                                                options.atOnce > 0 ? options.atOnce : cores);
}

Result<batch::Campaign> conductPieces(const std::string& kind,
                                      std::vector<batch::Piece> pieces,
                                      const BatchOptions& options,
                                      const Console& console,
                                      batch::CampaignState& state,
                                      const PieceDone& onDone) {
    auto campaign = batch::beginCampaign(options.work, kind, ownProgram(), std::move(pieces));
    if (!campaign) {
        return campaign;
    }
    console.say(fmt::format("{} pieces in {}; 'pathmark batch --work {}' tells how far they are.",
                            campaign->pieces.size(),
                            campaign->folder.string(),
                            campaign->folder.string()));
    const auto engine = engineFor(*campaign, options, console);
    batch::ConductSettings settings;
    settings.pause = options.engine == "slurm" ? kPauseSlurm : kPauseHere;
    if (onDone) {
        settings.onDone = [&](const std::string& piece) { onDone(*campaign, piece); };
    }
    auto ended = batch::conduct(*campaign, *engine, settings, console.job());
    if (!ended) {
        return fail(ended.error());
    }
    state = std::move(*ended);
    std::set<std::string> none;
    const auto attempts = batch::attemptsOf(*campaign, none);
    for (const std::string& piece : state.failed) {
        const auto own = attempts.find(piece);
        Console::complain(
            {ErrorId::BatchPieceFailed,
             own == attempts.end() ? "It needs a piece that failed." : own->second.back().words,
             piece});
    }
    return campaign;
}

batch::Asked expectedFor(double megapixels, double largestFrame) {
    // As measured over nights (docs/numbers.md), with something to spare: the program with its catalogue, and a frame's working set.
    constexpr double megabytes = 700.0;
    constexpr double bytesPerPixel = 60.0;
    constexpr double seconds = 120.0;
    constexpr double secondsForMegapixel = 2.0;
    return {megabytes + bytesPerPixel * largestFrame, seconds + secondsForMegapixel * megapixels};
}

double megapixelsOf(const std::vector<fs::path>& files) {
    double bytes = 0.0;
    for (const fs::path& file : files) {
        std::error_code status;
        const auto size = fs::file_size(file, status);
        bytes += status ? 0.0 : static_cast<double>(size);
    }
    return bytes / 2e6; // two bytes a pixel
}

} // namespace pathmark::command
