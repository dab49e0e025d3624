#include "desk/session/night_snapshot.h"

#include "core/calibrate/library.h"
#include "core/frame/folder_scan.h"
#include "core/identify/bodies_in_frame.h"
#include "core/night/context.h"
#include "core/night/results_folder.h"
#include "desk/session/archive_snapshot.h"

#include <algorithm>
#include <cmath>

namespace pathmark::desk {
namespace {

namespace fs = std::filesystem;

void addLibrary(NightSnapshot& snapshot) {
    std::error_code status;
    if (!fs::exists(snapshot.recipePath, status)) {
        return;
    }
    const auto recipe = night::readRecipe(snapshot.recipePath);
    if (!recipe || recipe->calibration.library.empty()) {
        return;
    }
    if (auto masters = calibrate::scanLibrary(recipe->calibration.library, {})) {
        snapshot.library = std::move(*masters);
    }
}

/// What the observer said the frames are.
void overruleKinds(NightSnapshot& snapshot, const night::KindDecisions& kinds) {
    for (auto& info : snapshot.frames) {
        for (const auto& [part, kind] : kinds) {
            if (info.path.string().find(part) != std::string::npos) {
                info.kind = kind;
                info.kindReason = "you said so";
            }
        }
    }
}

Result<std::shared_ptr<const NightSnapshot>> fromNightFile(const fs::path& path) {
    auto file = night::NightFile::open(path);
    if (!file) {
        return fail(file.error());
    }
    auto snapshot = std::make_shared<NightSnapshot>();
    snapshot->folder = file->setting("folder").value_or(path.parent_path().string());
    snapshot->recipePath = file->setting("recipe").value_or("");
    snapshot->out = file->setting("out").value_or(path.parent_path().string());
    snapshot->frames = file->frames();
    snapshot->lights = file->lights();
    for (const auto& light : snapshot->lights) {
        snapshot->excluded.push_back(file->isExcluded(light.raw));
    }
    snapshot->predictions = file->predictions();
    snapshot->tracks = file->tracks();
    snapshot->measurements = file->measurements();
    overruleKinds(*snapshot, night::kindDecisions(*file));
    addLibrary(*snapshot);
    rematch(*snapshot, night::matchDecisions(*file));
    listBodies(*snapshot);
    return snapshot;
}

/// A folder that was not run yet: its lights stand on the ribbon as they are.
Result<std::shared_ptr<const NightSnapshot>> fromFolder(const fs::path& given) {
    const fs::path folder = night::wholePath(given);
    auto scan = frame::scanFolder(folder, {});
    if (!scan) {
        return fail(scan.error());
    }
    auto snapshot = std::make_shared<NightSnapshot>();
    snapshot->folder = folder;
    snapshot->out = folder / "results";
    std::error_code status;
    if (fs::exists(folder / "recipe.toml", status)) {
        snapshot->recipePath = folder / "recipe.toml";
    }
    snapshot->frames = std::move(scan->frames);
    night::MatchDecisions decisions;
    const fs::path known = snapshot->out / "night.pmnight";
    if (fs::exists(known, status)) {
        if (const auto file = night::NightFile::open(known)) {
            overruleKinds(*snapshot, night::kindDecisions(*file));
            decisions = night::matchDecisions(*file);
        }
    }
    addLibrary(*snapshot);
    rematch(*snapshot, decisions);
    for (const auto& group : snapshot->groups) {
        if (group.example.kind != frame::FrameKind::Light) {
            continue;
        }
        for (const auto& info : group.frames) {
            if (!info.midExposure) {
                continue;
            }
            night::LightRecord light;
            light.raw = info.path;
            light.calibrated = info.path;
            light.series = group.title();
            light.middle = *info.midExposure;
            light.exposureSeconds = info.exposureSeconds;
            light.filter = info.filter;
            light.width = info.width;
            light.height = info.height;
            snapshot->lights.push_back(light);
            snapshot->excluded.push_back(false);
        }
    }
    std::stable_sort(snapshot->lights.begin(),
                     snapshot->lights.end(),
                     [](const auto& a, const auto& b) { return a.middle < b.middle; });
    return snapshot;
}

} // namespace

void rematch(NightSnapshot& snapshot, const night::MatchDecisions& decisions) {
    auto match = night::matchNight(snapshot.frames, snapshot.library, decisions);
    snapshot.groups = std::move(match.groups);
    snapshot.matches = std::move(match.series);
    snapshot.odd = calibrate::findOddFrames(snapshot.frames);
}

void listBodies(NightSnapshot& snapshot) {
    std::map<std::string, BodyView> bodies;
    std::map<std::string, int> counts;
    for (const auto& p : snapshot.predictions) {
        BodyView& body = bodies[p.body];
        body.name = p.body;
        if (counts[p.body]++ == 0) {
            body.magnitude = p.magnitude.value_or(99.0);
        }
        body.rateArcsecPerMin = p.rateArcsecPerMin;
        body.frameSnr = std::max(body.frameSnr, p.snr.value_or(0.0));
        body.stackSnr = std::hypot(body.stackSnr, p.snr.value_or(0.0));
        body.candidate = p.candidate;
        ++body.frames;
        // An archive's frames were not searched for sources.
        if (!snapshot.isArchive && p.snr.value_or(0.0) >= identify::kReachSnr) {
            ++body.shown;
            body.found += p.match ? 1 : 0;
        }
    }
    for (const auto& m : snapshot.measurements) {
        BodyView& body = bodies[m.body];
        body.name = m.body;
        body.measured += m.seen ? 1 : 0;
        body.kept += m.seen && m.state == night::MeasurementState::Kept ? 1 : 0;
    }
    for (const auto& entry : bodies) {
        snapshot.bodies.push_back(entry.second);
    }
    std::sort(snapshot.bodies.begin(), snapshot.bodies.end(), [](const auto& a, const auto& b) {
        return a.stackSnr > b.stackSnr;
    });
}

bool BodyView::inReach() const {
    return candidate || stackSnr >= identify::kReachSnr || measured > 0;
}

Result<std::shared_ptr<const NightSnapshot>> readSnapshot(const fs::path& folderOrNight) {
    std::error_code status;
    if (!fs::is_directory(folderOrNight, status)) {
        if (!fs::exists(folderOrNight, status)) {
            return fail(
                ErrorId::FrameNoFrames, "There is no such file or folder.", folderOrNight.string());
        }
        return isArchiveList(folderOrNight) ? readArchiveList(folderOrNight)
                                            : fromNightFile(folderOrNight);
    }
    const fs::path folder = fs::absolute(folderOrNight).lexically_normal();
    const fs::path known = folder / "results" / "night.pmnight";
    if (fs::exists(known, status)) {
        auto snapshot = fromNightFile(known);
        // A run that was stopped before its first light shows the folder itself.
        if (!snapshot || !(*snapshot)->lights.empty()) {
            return snapshot;
        }
    }
    return fromFolder(folder);
}

} // namespace pathmark::desk
