#include "core/identify/solved_frame.h"

#include "core/frame/open_frame.h"

#include <chrono>
#include <set>

namespace pathmark::identify {
namespace fs = std::filesystem;

Result<frame::Header> solutionBeside(const fs::path& file, const fs::path& wcsFolder) {
    const fs::path folder = wcsFolder.empty() ? file.parent_path() : wcsFolder;
    return frame::readFitsHeader(folder / (frame::frameStem(file) + ".wcs"));
}

namespace {

/// PMLIMIT of the frame's own header or of the solution beside it.
std::optional<double>
limitOf(const fs::path& file, const frame::Header& header, const fs::path& wcsFolder) {
    if (const auto own = header.number("PMLIMIT")) {
        return own;
    }
    const auto beside = solutionBeside(file, wcsFolder);
    return beside ? beside->number("PMLIMIT") : std::nullopt;
}

} // namespace

Result<SolvedFrame> solvedFrame(const frame::FrameInfo& info,
                                const frame::Wcs& wcs,
                                std::optional<double> limitingMagnitude) {
    if (!info.midExposure) {
        return fail(ErrorId::FrameNoTime,
                    "The header gives no date with a time of day.",
                    info.path.string());
    }
    return SolvedFrame{info.path,
                       wcs,
                       info.width,
                       info.height,
                       *info.midExposure,
                       info.rowSeconds,
                       limitingMagnitude};
}

Result<frame::Wcs>
solutionOf(const fs::path& file, const frame::Header& header, const fs::path& wcsFolder) {
    if (auto wcs = frame::readWcs(header)) {
        return wcs;
    }
    const auto beside = solutionBeside(file, wcsFolder);
    if (!beside) {
        return fail(ErrorId::FrameBadWcs,
                    "The frame is not solved; run 'pathmark solve --out DIR' first.",
                    file.string());
    }
    return frame::readWcs(*beside);
}

Result<SolvedFrame>
readSolvedFrame(const fs::path& file, const fs::path& wcsFolder, const frame::ReadingRules& rules) {
    auto reader = frame::openFrame(file);
    if (!reader) {
        return fail(reader.error());
    }
    const frame::Header& header = (*reader)->header();
    const auto info =
        frame::describeFrame(file, (*reader)->width(), (*reader)->height(), header, rules);
    auto wcs = solutionOf(file, header, wcsFolder);
    if (!wcs) {
        return fail(wcs.error());
    }
    return solvedFrame(info, *wcs, limitOf(file, header, wcsFolder));
}

std::vector<Error> searchFrames(const FrameSearch& search,
                                std::span<const SolvedFrame> frames,
                                const Job& job,
                                const FrameFound& found) {
    std::vector<Utc> times;
    for (const SolvedFrame& frame : frames) {
        times.push_back(frame.middle);
    }
    std::vector<Error> lost;
    std::set<std::string> told;
    int done = 0;
    for (const auto& members : nightsOf(times)) {
        auto start = std::chrono::steady_clock::now();
        auto night = NightBodies::make(
            search.catalog, search.planets, times[members.front()], times[members.back()]);
        for (const std::size_t i : members) {
            if (job.stop.stop_requested()) {
                return lost;
            }
            job.progress("Finding known bodies", done++, static_cast<int>(frames.size()));
            Result<std::vector<BodyInFrame>> bodies = std::vector<BodyInFrame>{};
            if (night) {
                const SolvedFrame& f = frames[i];
                bodies =
                    bodiesInFrame(*night,
                                  search.planets,
                                  search.site,
                                  {f.wcs, f.width, f.height, f.middle, std::nullopt, f.rowSeconds},
                                  search.turn);
            } else {
                bodies = fail(night.error());
            }
            const auto now = std::chrono::steady_clock::now();
            found(i, bodies, std::chrono::duration<double>(now - start).count());
            start = now;
        }
        if (night) {
            for (const Error& error : night->lost()) {
                if (told.insert(error.subject).second) {
                    lost.push_back(error);
                }
            }
        }
    }
    return lost;
}

} // namespace pathmark::identify
