#pragma once

#include "core/base/result.h"
#include "core/calibrate/groups.h"
#include "core/calibrate/match.h"
#include "core/calibrate/odd_frames.h"
#include "core/night/decisions.h"
#include "core/night/night_file.h"
#include "core/night/recipe.h"

#include <filesystem>
#include <map>
#include <memory>
#include <string>
#include <vector>

namespace pathmark::desk {

/// One body of the night, as the Bodies list shows it.
struct BodyView {
    orbit::BodyId id;
    std::string name;        ///< for people
    double magnitude = 99.0; ///< predicted, mean
    double rateArcsecPerMin = 0.0;
    double frameSnr = 0.0; ///< best predicted in one frame
    double stackSnr = 0.0; ///< of all frames together
    int measured = 0;
    int kept = 0;
    bool candidate = false; ///< no known body: a motion found in the frames
    int frames = 0;         ///< that it is in
    int shown = 0;          ///< frames that can show it alone
    int found = 0;          ///< those of them with a source where it is predicted

    [[nodiscard]] bool inReach() const;

    /// Frames can show it, and most do not: news.
    [[nodiscard]] bool isMissing() const { return !candidate && shown >= 3 && 2 * found < shown; }
};

/// Everything the window shows of a night, read at once; never changed afterwards.
struct NightSnapshot {
    std::filesystem::path folder;
    std::filesystem::path recipePath;
    std::filesystem::path out;
    std::filesystem::path nightFile; ///< need not exist yet
    std::vector<frame::FrameInfo> frames;
    std::map<night::FrameId, night::SeriesId> seriesOf; ///< as the last run had it
    std::vector<frame::FrameInfo> library; ///< masters of other nights that the recipe names
    std::vector<calibrate::FrameGroup> groups;
    std::map<std::size_t, calibrate::MasterMatch> matches; ///< by index of the group of lights
    std::vector<calibrate::OddFrame> odd;   ///< frames that differ from those around them
    std::vector<night::LightRecord> lights; ///< in order of time
    std::vector<night::PastAct> history;    ///< of the observer's decisions
    night::Decided decided;                 ///< what they make together
    std::vector<bool> excluded;             ///< per light: left out by the observer
    std::vector<night::PredictionRecord> predictions;
    std::vector<night::TrackRecord> tracks;             ///< the candidates
    std::vector<night::MeasurementRecord> made;         ///< the measurements as the run made them
    std::vector<night::MeasurementRecord> measurements; ///< with the decisions laid over
    /// Stacks on the stars, each with the first frame that it was added from.
    std::vector<std::pair<night::FrameId, std::filesystem::path>> starStacks;
    std::vector<BodyView> bodies; ///< in order of reach
    bool isArchive = false;       ///< made from a list of an archive: nothing to run or to decide
};

/// The bodies of the predictions and measurements, in order of reach.
void listBodies(NightSnapshot& snapshot);

/// Lays another history over a snapshot: what is left out, kept and matched. Kinds of frames are read with the frames.
void applyHistory(NightSnapshot& snapshot, std::vector<night::PastAct> history);

/// Reads a night file, a list of an archive, or, where a folder has not been run yet, its headers.
///
/// Errors   frame.no_frames, night.file_damaged, night.cannot_store
Result<std::shared_ptr<const NightSnapshot>>
readSnapshot(const std::filesystem::path& folderOrNight);

} // namespace pathmark::desk
