#include "desk/session/night_snapshot.h"

#include "core/calibrate/library.h"
#include "core/frame/folder_scan.h"
#include "core/identify/bodies_in_frame.h"
#include "core/night/steps/masters_step.h"
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

/// Groups, matches and odd frames again from the frames, as the observer decided.
void rematch(NightSnapshot& snapshot) {
    auto match = night::matchNight(
        snapshot.frames, snapshot.library, snapshot.decided.masters, snapshot.seriesOf);
    snapshot.groups = std::move(match.groups);
    snapshot.matches = std::move(match.series);
    snapshot.odd = calibrate::findOddFrames(snapshot.frames);
}

/// What the observer said the frames are.
void overruleKinds(NightSnapshot& snapshot) {
    for (auto& info : snapshot.frames) {
        const auto decided = snapshot.decided.kinds.find(info.id);
        if (decided != snapshot.decided.kinds.end()) {
            info.kind = decided->second;
            info.kindReason = "you said so";
        }
    }
}

Result<std::shared_ptr<const NightSnapshot>> fromNightFile(const fs::path& path) {
    auto file = night::NightFile::open(path);
    if (!file) {
        return fail(file.error());
    }
    auto frames = file->frames();
    auto seriesOf = file->seriesOfFrames();
    auto lights = file->lights();
    auto predictions = file->predictions();
    auto tracks = file->tracks();
    auto made = file->madeMeasurements();
    auto history = file->history();
    for (const Error* error : {frames ? nullptr : &frames.error(),
                               seriesOf ? nullptr : &seriesOf.error(),
                               lights ? nullptr : &lights.error(),
                               predictions ? nullptr : &predictions.error(),
                               tracks ? nullptr : &tracks.error(),
                               made ? nullptr : &made.error(),
                               history ? nullptr : &history.error()}) {
        if (error != nullptr) {
            return fail(*error);
        }
    }
    auto snapshot = std::make_shared<NightSnapshot>();
    snapshot->folder = file->places().folder;
    snapshot->recipePath = file->recipe();
    snapshot->out = file->places().out;
    snapshot->nightFile = file->path();
    snapshot->frames = std::move(*frames);
    snapshot->seriesOf = std::move(*seriesOf);
    snapshot->lights = std::move(*lights);
    snapshot->predictions = std::move(*predictions);
    snapshot->tracks = std::move(*tracks);
    snapshot->made = std::move(*made);
    if (const auto stacks = file->products(night::ProductKind::Stack)) {
        for (const auto& stack : *stacks) {
            if (!stack.body.isKnown()) {
                snapshot->starStacks.emplace_back(stack.frame, stack.path);
            }
        }
    }
    snapshot->decided = night::Decided::after(*history);
    overruleKinds(*snapshot);
    addLibrary(*snapshot);
    rematch(*snapshot);
    applyHistory(*snapshot, std::move(*history));
    return snapshot;
}

/// What is known of a folder that a stopped run has only begun with.
void addBegun(NightSnapshot& snapshot) {
    std::error_code status;
    if (!fs::exists(snapshot.nightFile, status)) {
        return;
    }
    auto file = night::NightFile::open(snapshot.nightFile);
    if (!file) {
        return;
    }
    std::vector<fs::path> paths;
    for (const auto& info : snapshot.frames) {
        paths.push_back(info.path);
    }
    const auto ids = file->knownFrameIds(paths);
    for (std::size_t i = 0; i < ids.size(); ++i) {
        snapshot.frames[i].id = ids[i];
    }
    snapshot.history = file->history().value_or(std::vector<night::PastAct>());
    snapshot.decided = night::Decided::after(snapshot.history);
    snapshot.seriesOf =
        file->seriesOfFrames().value_or(std::map<night::FrameId, night::SeriesId>());
    overruleKinds(snapshot);
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
    snapshot->nightFile = snapshot->out / "night.pmnight";
    std::error_code status;
    if (fs::exists(folder / "recipe.toml", status)) {
        snapshot->recipePath = folder / "recipe.toml";
    }
    snapshot->frames = std::move(scan->frames);
    addBegun(*snapshot);
    addLibrary(*snapshot);
    rematch(*snapshot);
    for (const auto& group : snapshot->groups) {
        if (group.example.kind != frame::FrameKind::Light) {
            continue;
        }
        for (const auto& info : group.frames) {
            if (!info.midExposure) {
                continue;
            }
            night::LightRecord light;
            static_cast<night::TakenPart&>(light) = night::takenPart(info, group);
            light.calibrated = info.path;
            light.width = info.width;
            light.height = info.height;
            snapshot->lights.push_back(light);
        }
    }
    std::stable_sort(snapshot->lights.begin(),
                     snapshot->lights.end(),
                     [](const auto& a, const auto& b) { return a.middle < b.middle; });
    applyHistory(*snapshot, snapshot->history);
    return snapshot;
}

} // namespace

void applyHistory(NightSnapshot& snapshot, std::vector<night::PastAct> history) {
    const night::MatchDecisions before = std::move(snapshot.decided.masters);
    snapshot.history = std::move(history);
    snapshot.decided = night::Decided::after(snapshot.history);
    snapshot.excluded.clear();
    for (const auto& light : snapshot.lights) {
        snapshot.excluded.push_back(snapshot.decided.leftOut.contains(light.frame));
    }
    snapshot.measurements = snapshot.made;
    snapshot.decided.judge(snapshot.measurements);
    if (before != snapshot.decided.masters) {
        rematch(snapshot);
    }
    listBodies(snapshot);
}

void listBodies(NightSnapshot& snapshot) {
    std::map<orbit::BodyId, BodyView> bodies;
    std::map<orbit::BodyId, int> counts;
    for (const auto& p : snapshot.predictions) {
        BodyView& body = bodies[p.body];
        body.id = p.body;
        body.name = p.title.empty() ? p.body.text() : p.title;
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
        body.id = m.body;
        body.name = body.name.empty() ? m.body.text() : body.name;
        body.measured += m.seen ? 1 : 0;
        body.kept += m.seen && m.state == night::MeasurementState::Kept ? 1 : 0;
    }
    snapshot.bodies.clear();
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
    const fs::path folder = night::wholePath(folderOrNight);
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
