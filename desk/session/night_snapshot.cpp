#include "desk/session/night_snapshot.h"

#include "core/calibrate/library.h"
#include "core/frame/folder_scan.h"
#include "core/identify/bodies_in_frame.h"
#include "core/night/steps/masters_step.h"
#include "desk/session/archive_snapshot.h"
#include "desk/session/snapshot_decisions.h"

#include <algorithm>
#include <cmath>

namespace pathmark::desk {
namespace {

namespace fs = std::filesystem;

/// The masters that the recipe names, and those of its library.
void addMasters(NightSnapshot& snapshot) {
    std::error_code status;
    if (!fs::exists(snapshot.recipePath, status)) {
        return;
    }
    const auto recipe = night::readRecipe(snapshot.recipePath);
    if (!recipe) {
        return;
    }
    snapshot.calibration = recipe->calibration;
    if (recipe->calibration.library.empty()) {
        return;
    }
    if (auto masters = calibrate::scanLibrary(recipe->calibration.library, {})) {
        snapshot.library = std::move(*masters);
    }
}

/// What the observer said the frames are.
void overruleKinds(NightSnapshot& snapshot) {
    for (auto& info : snapshot.frames.edit()) {
        const auto decided = snapshot.decided->kinds.find(info.id);
        if (decided != snapshot.decided->kinds.end()) {
            info.kind = decided->second;
            info.kindReason = "set by you";
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
    auto sweeps = file->sweeps();
    auto made = file->madeMeasurements();
    auto history = file->history();
    for (const Error* error : {frames ? nullptr : &frames.error(),
                               seriesOf ? nullptr : &seriesOf.error(),
                               lights ? nullptr : &lights.error(),
                               predictions ? nullptr : &predictions.error(),
                               tracks ? nullptr : &tracks.error(),
                               sweeps ? nullptr : &sweeps.error(),
                               made ? nullptr : &made.error(),
                               history ? nullptr : &history.error()}) {
        if (error != nullptr) {
            return fail(*error);
        }
    }
    auto snapshot = std::make_shared<NightSnapshot>();
    snapshot->folder = file->places().folder;
    snapshot->only = file->places().only;
    snapshot->recipePath = file->recipe();
    snapshot->out = file->places().out;
    snapshot->nightFile = file->path();
    snapshot->frames = std::move(*frames);
    snapshot->seriesOf = std::move(*seriesOf);
    snapshot->lights = std::move(*lights);
    snapshot->predictions = std::move(*predictions);
    snapshot->tracks = std::move(*tracks);
    snapshot->sweeps = std::move(*sweeps);
    snapshot->made = std::move(*made);
    if (const auto stacks = file->products(night::ProductKind::Stack)) {
        for (const auto& stack : *stacks) {
            if (!stack.body.isKnown()) {
                snapshot->starStacks.emplace_back(stack.frame, stack.path);
            }
        }
    }
    if (const auto pictures = file->products(night::ProductKind::Picture)) {
        for (const auto& picture : *pictures) {
            snapshot->pictures[picture.body] = picture.path;
        }
    }
    snapshot->decided = night::Decided::after(*history);
    overruleKinds(*snapshot);
    addMasters(*snapshot);
    snapshot->history = std::move(*history);
    rematch(*snapshot);
    applyAll(*snapshot);
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
        snapshot.frames.edit()[i].id = ids[i];
    }
    auto history = file->history().value_or(std::vector<night::PastAct>());
    snapshot.decided = night::Decided::after(history);
    snapshot.history = std::move(history);
    snapshot.seriesOf =
        file->seriesOfFrames().value_or(std::map<night::FrameId, night::SeriesId>());
    overruleKinds(snapshot);
}

/// A folder that was not run yet: its lights stand on the ribbon as they are.
Result<std::shared_ptr<const NightSnapshot>> fromFolder(const fs::path& given) {
    const fs::path folder = night::wholePath(given);
    auto scan = frame::scanFolder(folder, {});
    std::error_code status;
    if (!scan && scan.error().id == ErrorId::FrameNoFrames && fs::is_directory(folder, status)) {
        scan = frame::FolderScan(); // it may fill
    }
    if (!scan) {
        return fail(scan.error());
    }
    auto snapshot = std::make_shared<NightSnapshot>();
    snapshot->folder = folder;
    snapshot->out = folder / "results";
    snapshot->nightFile = snapshot->out / "night.pmnight";
    for (const fs::path& place : {folder, snapshot->out}) {
        if (snapshot->recipePath.empty() && fs::exists(place / "recipe.toml", status)) {
            snapshot->recipePath = place / "recipe.toml";
        }
    }
    snapshot->frames = std::move(scan->frames);
    addBegun(*snapshot);
    addMasters(*snapshot);
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
            snapshot->lights.edit().push_back(light);
        }
    }
    auto& lights = snapshot->lights.edit();
    std::stable_sort(lights.begin(), lights.end(), [](const auto& a, const auto& b) {
        return a.middle < b.middle;
    });
    applyAll(*snapshot);
    return snapshot;
}

} // namespace

int NightSnapshot::placeOf(const night::FrameId& frame) const {
    const auto known = lightOf->find(frame);
    return known != lightOf->end() ? static_cast<int>(known->second) : -1;
}

bool NightSnapshot::isUsed(std::size_t light) const {
    return lights[light].solved() && lights[light].leftOutBy.empty() && !excluded[light];
}

const frame::FrameInfo* NightSnapshot::infoOf(const night::LightRecord& light) const {
    const auto known = std::find_if(
        frames.begin(), frames.end(), [&](const auto& info) { return info.path == light.raw; });
    return known != frames.end() ? &*known : nullptr;
}

std::span<const BodyPath> NightSnapshot::pathsOf(const night::SeriesId& series) const {
    const auto known = paths->find(series);
    return known != paths->end() ? std::span<const BodyPath>(known->second)
                                 : std::span<const BodyPath>();
}

std::span<const std::size_t> NightSnapshot::predictedIn(const night::SeriesId& series,
                                                        const orbit::BodyId& body) const {
    const auto known = pathsOf(series);
    const auto path = std::find_if(
        known.begin(), known.end(), [&](const BodyPath& one) { return one.body == body; });
    return path != known.end() ? std::span<const std::size_t>(path->predictions)
                               : std::span<const std::size_t>();
}

const night::PredictionRecord* NightSnapshot::predictionOn(const night::LightRecord& light,
                                                           const orbit::BodyId& body) const {
    for (const std::size_t k : predictedIn(light.series, body)) {
        if (predictions[k].frame == light.frame) {
            return &predictions[k];
        }
    }
    return nullptr;
}

std::span<const std::size_t> NightSnapshot::measuredOf(const orbit::BodyId& body) const {
    const auto known = measurementsOf->find(body);
    return known != measurementsOf->end() ? std::span<const std::size_t>(known->second)
                                          : std::span<const std::size_t>();
}

namespace {

void indexLights(NightSnapshot& snapshot) {
    std::map<night::FrameId, std::size_t> places;
    for (std::size_t i = 0; i < snapshot.lights.size(); ++i) {
        if (snapshot.lights[i].frame.isKnown()) {
            places.emplace(snapshot.lights[i].frame, i);
        }
    }
    snapshot.lightOf = std::move(places);
}

void indexPaths(NightSnapshot& snapshot) {
    std::map<night::SeriesId, std::map<orbit::BodyId, BodyPath>> paths;
    for (std::size_t i = 0; i < snapshot.predictions.size(); ++i) {
        const auto& p = snapshot.predictions[i];
        const int light = snapshot.placeOf(p.frame);
        if (light < 0) {
            continue;
        }
        BodyPath& path = paths[snapshot.lights[static_cast<std::size_t>(light)].series][p.body];
        if (path.predictions.empty()) {
            path.body = p.body;
            path.name = p.title.empty() ? p.body.text() : p.title;
            path.candidate = p.candidate;
        }
        path.predictions.push_back(i);
    }
    std::map<night::SeriesId, std::vector<BodyPath>> lists;
    for (auto& [series, bodies] : paths) {
        for (auto& [body, path] : bodies) {
            lists[series].push_back(std::move(path));
        }
    }
    snapshot.paths = std::move(lists);
}

void indexMeasurements(NightSnapshot& snapshot) {
    std::map<orbit::BodyId, std::vector<std::size_t>> places;
    for (std::size_t i = 0; i < snapshot.measurements.size(); ++i) {
        places[snapshot.measurements[i].body].push_back(i);
    }
    snapshot.measurementsOf = std::move(places);
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
        count(body, m);
    }
    snapshot.bodies.clear();
    for (const auto& entry : bodies) {
        snapshot.bodies.push_back(entry.second);
    }
    std::sort(snapshot.bodies.begin(), snapshot.bodies.end(), [](const auto& a, const auto& b) {
        return a.stackSnr > b.stackSnr;
    });
}

} // namespace

void indexNight(NightSnapshot& snapshot) {
    indexLights(snapshot);
    indexPaths(snapshot);
    indexMeasurements(snapshot);
    listBodies(snapshot);
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
    // Of frames, or of their results.
    for (const fs::path& known : {folder / "results" / "night.pmnight", folder / "night.pmnight"}) {
        if (!fs::exists(known, status)) {
            continue;
        }
        auto snapshot = fromNightFile(known);
        // A run that was stopped before its first light shows the folder itself.
        if (!snapshot || !(*snapshot)->lights.empty()) {
            return snapshot;
        }
    }
    return fromFolder(folder);
}

} // namespace pathmark::desk
