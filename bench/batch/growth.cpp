#include "core/batch/campaign.h"

#include <queue>

#include <CLI/CLI.hpp>
#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <filesystem>
#include <string>
#include <vector>

// How long an archive takes on so many nodes, from what the pieces of finished work took: each piece's time as it was measured, one after the
// other over a list that is as long as wanted. What is not a piece's own is counted too: the engine's time to start a job, the shared disk that
// all read from and write to, the conductor's look at each sidecar, the collector's copy of each night.

namespace pathmark {
namespace {

struct Settings {
    std::string work;
    double diskMegabytes = 500.0;   ///< a second, of the shared folder
    double startsPerSecond = 20.0;  ///< jobs that the engine begins
    double sidecarSeconds = 0.0005; ///< that the conductor looks at one
    double framesOfPiece = 50.0;
    double linkSeconds =
        0.03; ///< that the collector takes to name a night's files anew, measured over 40 nights
    bool isCopied = false; ///< the nights go to another disk
};

/// What one piece took.
struct Measured {
    double seconds = 0.0;
    double readMegabytes = 0.0;
    double madeMegabytes = 0.0;
};

std::vector<Measured> measuredIn(const std::filesystem::path& work) {
    std::vector<Measured> all;
    const auto campaign = batch::readCampaign(work);
    if (!campaign) {
        return all;
    }
    for (const batch::Piece& piece : campaign->pieces) {
        const auto result = batch::resultOf(*campaign, piece.id);
        if (!result) {
            continue;
        }
        Measured one;
        one.seconds = result->cost.seconds;
        one.readMegabytes = 2.0 * piece.size; // two bytes a pixel
        for (const auto& [file, digest] : result->digests) {
            std::error_code status;
            const auto bytes =
                std::filesystem::file_size(campaign->resultsOf(piece.id) / file, status);
            one.madeMegabytes += status ? 0.0 : 1e-6 * static_cast<double>(bytes);
        }
        all.push_back(one);
    }
    return all;
}

struct Growth {
    double hours = 0.0;
    double share = 0.0; ///< of the ideal: all nodes at work all the time
    const char* limit = "";
};

Growth
grow(const Settings& settings, const std::vector<Measured>& measured, int nodes, double frames) {
    const auto pieces = static_cast<std::size_t>(frames / settings.framesOfPiece);
    std::priority_queue<double, std::vector<double>, std::greater<>> freeAt;
    for (int n = 0; n < nodes; ++n) {
        freeAt.push(0.0);
    }
    double started = 0.0;
    double disk = 0.0; ///< until when it is busy
    double busy = 0.0;
    double end = 0.0;
    for (std::size_t k = 0; k < pieces; ++k) {
        const Measured& one = measured[k % measured.size()];
        started += 1.0 / settings.startsPerSecond;
        const double begins = std::max(freeAt.top(), started);
        freeAt.pop();
        // The disk serves one after the other: reading before, writing behind.
        const double megabytes = one.readMegabytes + one.madeMegabytes;
        disk = std::max(disk, begins) + megabytes / settings.diskMegabytes;
        const double ends = std::max(begins + one.seconds, disk);
        busy += one.seconds;
        freeAt.push(ends);
        end = std::max(end, ends);
    }
    double copied = 0.0;
    for (std::size_t k = 0; k < pieces; ++k) {
        copied += 2.0 * measured[k % measured.size()].madeMegabytes;
    }
    const double ofNight =
        settings.sidecarSeconds + (settings.isCopied ? 0.0 : settings.linkSeconds);
    const double collecting = (settings.isCopied ? copied / settings.diskMegabytes : 0.0) +
                              ofNight * static_cast<double>(pieces);
    const double computing = busy / nodes;
    double moved = 0.0;
    for (std::size_t k = 0; k < pieces; ++k) {
        const Measured& one = measured[k % measured.size()];
        moved += (one.readMegabytes + one.madeMegabytes) / settings.diskMegabytes;
    }
    const std::array<std::pair<double, const char*>, 4> limits{
        std::pair{computing, "nodes"},
        std::pair{moved, "shared disk"},
        std::pair{static_cast<double>(pieces) / settings.startsPerSecond, "starting jobs"},
        std::pair{collecting, "collector"}};
    // Nights are brought home while others are at work: what is slower counts.
    const double whole = std::max(end, collecting);
    return {
        whole / 3600.0, computing / whole, std::max_element(limits.begin(), limits.end())->second};
}

int print(const Settings& settings) {
    const auto measured = measuredIn(settings.work);
    if (measured.empty()) {
        fmt::print(stderr, "{}: no finished pieces\n", settings.work);
        return 1;
    }
    double seconds = 0.0;
    for (const Measured& one : measured) {
        seconds += one.seconds;
    }
    fmt::print("{} measured pieces, {:.1f} s each in the mean\n",
               measured.size(),
               seconds / static_cast<double>(measured.size()));
    fmt::print("{:>9} {:>6} {:>12} {:>8}  limit\n", "frames", "nodes", "hours", "share");
    for (const double frames : {1e4, 1e5, 1e6, 1e7}) {
        for (const int nodes : {1, 4, 10, 100, 1000}) {
            const Growth growth = grow(settings, measured, nodes, frames);
            fmt::print("{:9.0f} {:6} {:12.2f} {:8.2f}  {}\n",
                       frames,
                       nodes,
                       growth.hours,
                       growth.share,
                       growth.limit);
        }
    }
    return 0;
}

} // namespace
} // namespace pathmark

int main(int argc, char** argv) {
    pathmark::Settings settings;
    CLI::App app{"How batches grow, from measured pieces"};
    app.add_option("work", settings.work, "Folder of finished pieces")->required();
    app.add_option("--disk", settings.diskMegabytes, "Megabytes a second of the shared folder");
    app.add_option("--starts", settings.startsPerSecond, "Jobs a second that the engine begins");
    app.add_flag("--copied", settings.isCopied, "The nights go to another disk");
    app.add_option("--frames-of-piece", settings.framesOfPiece, "Frames of a piece");
    CLI11_PARSE(app, argc, argv);
    return pathmark::print(settings);
}
