#include "core/night/steps/gather_step.h"

#include "core/base/robust.h"
#include "core/frame/folder_scan.h"

#include <fmt/format.h>

#include <algorithm>
#include <cctype>
#include <cmath>
#include <iterator>
#include <map>

namespace pathmark::night {
namespace {

namespace fs = std::filesystem;

/// Further from the other lights than this, a light is probably dated by a clock that was never set.
constexpr double kStrangeDays = 60.0;

/// What headers contradict themselves in: each kind of contradiction once, with the number of frames.
void tellNotes(const CalibrationRun& run) {
    std::map<std::string, std::pair<std::string, int>> told; // by the words without their numbers
    for (const auto& info : run.frames) {
        if (info.kind != frame::FrameKind::Light) {
            continue;
        }
        for (const std::string& note : info.notes) {
            std::string kind = note;
            std::erase_if(kind, [](unsigned char c) { return std::isdigit(c) != 0; });
            auto& entry = told.try_emplace(kind, info.path.filename().string() + ": " + note, 0)
                              .first->second;
            ++entry.second;
        }
    }
    for (const auto& entry : told) {
        const auto& [words, count] = entry.second;
        run.job.message(count == 1
                            ? words + "."
                            : fmt::format("{} ({} more lights are like it).", words, count - 1));
    }
}

/// Lights dated far from the others.
void tellStrangeTimes(CalibrationRun& run) {
    std::vector<double> days;
    for (const auto& info : run.frames) {
        if (info.kind == frame::FrameKind::Light && info.midExposure) {
            days.push_back(info.midExposure->julian());
        }
    }
    if (days.size() < 3) {
        return;
    }
    const double usual = medianInPlace(std::span(days));
    for (const auto& info : run.frames) {
        if (info.kind == frame::FrameKind::Light && info.midExposure &&
            std::abs(info.midExposure->julian() - usual) > kStrangeDays) {
            run.failures.push_back(
                {ErrorId::FrameNoTime,
                 fmt::format("Dated {}, {:.0f} days from the other lights; if its clock was wrong, "
                             "correct a copy of the file, else run it in a folder of its own.",
                             toIso(*info.midExposure, 0).substr(0, 10),
                             std::abs(info.midExposure->julian() - usual)),
                 info.path.string()});
        }
    }
}

/// The identities of files, some at a time: it is told how far it is.
Result<std::vector<Result<FrameId>>> identify(const CalibrationRun& run,
                                              const std::vector<fs::path>& files) {
    constexpr std::size_t atOnce = 16;
    std::vector<Result<FrameId>> ids;
    for (std::size_t first = 0; first < files.size(); first += atOnce) {
        run.job.progress("Reading frames", static_cast<int>(first), static_cast<int>(files.size()));
        auto some = run.file.frameIds(
            std::span(files).subspan(first, std::min(atOnce, files.size() - first)), run.job.stop);
        if (!some) {
            return fail(some.error());
        }
        std::move(some->begin(), some->end(), std::back_inserter(ids));
    }
    return ids;
}

} // namespace

Result<bool> gatherStep(CalibrationRun& run, const frame::ReadingRules& rules) {
    const std::vector<fs::path>& only = run.file.places().only;
    auto scan = only.empty() ? frame::scanFolder(run.folder, run.job, rules)
                             : frame::scanFrames(only, run.job, rules);
    if (!scan) {
        return fail(scan.error());
    }
    run.failures.insert(run.failures.end(), scan->failures.begin(), scan->failures.end());
    std::vector<fs::path> files;
    for (const auto& info : scan->frames) {
        files.push_back(info.path);
    }
    const auto ids = identify(run, files);
    if (!ids) {
        return fail(ids.error());
    }
    std::map<FrameId, fs::path> first;
    for (std::size_t i = 0; i < scan->frames.size(); ++i) {
        if (!(*ids)[i]) {
            run.failures.push_back((*ids)[i].error());
            continue;
        }
        frame::FrameInfo& info = scan->frames[i];
        info.id = *(*ids)[i];
        const auto [known, isNew] = first.try_emplace(info.id, info.path);
        if (!isNew) {
            run.failures.push_back({ErrorId::FrameTwice,
                                    fmt::format("The same frame as {}; it is used once. Remove one "
                                                "of the two.",
                                                known->second.filename().string()),
                                    info.path.string()});
            continue;
        }
        if (const auto kind = run.decided.kinds.find(info.id); kind != run.decided.kinds.end()) {
            info.kind = kind->second;
            info.kindReason = "set by you";
        }
        run.frames.push_back(std::move(info));
    }
    tellNotes(run);
    tellStrangeTimes(run);
    return true;
}

} // namespace pathmark::night
