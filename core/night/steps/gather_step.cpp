#include "core/night/steps/gather_step.h"

#include "core/frame/folder_scan.h"

#include <fmt/format.h>

#include <map>

namespace pathmark::night {

namespace fs = std::filesystem;

Result<bool> gatherStep(CalibrationRun& run, const frame::ReadingRules& rules) {
    auto scan = frame::scanFolder(run.folder, run.job, rules);
    if (!scan) {
        return fail(scan.error());
    }
    run.failures.insert(run.failures.end(), scan->failures.begin(), scan->failures.end());
    std::vector<fs::path> files;
    for (const auto& info : scan->frames) {
        files.push_back(info.path);
    }
    run.job.progress("Reading frames", 0, static_cast<int>(files.size()));
    const auto ids = run.file.frameIds(files, run.job.stop);
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
            info.kindReason = "you said so";
        }
        run.frames.push_back(std::move(info));
    }
    return true;
}

} // namespace pathmark::night
