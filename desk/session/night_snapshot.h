#pragma once

#include "core/base/result.h"
#include "core/calibrate/groups.h"
#include "core/calibrate/match.h"
#include "core/calibrate/odd_frames.h"
#include "core/night/decisions.h"
#include "core/night/night_file.h"
#include "core/night/recipe.h"
#include "desk/session/shared_part.h"

#include <filesystem>
#include <map>
#include <memory>
#include <span>
#include <string>
#include <vector>

namespace pathmark::desk {

/// Measurements that views share with the snapshot they were taken from.
using Measurements = SharedRecords<night::MeasurementRecord>;

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

    friend bool operator==(const BodyView&, const BodyView&) = default;

    /// Frames can show it, and most do not: news.
    [[nodiscard]] bool isMissing() const { return !candidate && shown >= 3 && 2 * found < shown; }
};

/// The places of one body in the frames of a series, in order of time.
struct BodyPath {
    orbit::BodyId body;
    std::string name; ///< for people
    bool candidate = false;
    std::vector<std::size_t> predictions; ///< places in NightSnapshot::predictions
};

/// Everything the window shows of a night, read at once. A snapshot that a view holds never changes; a decision makes another,
/// which shares with it all that the decision is not about.
struct NightSnapshot {
    std::filesystem::path folder;
    std::vector<std::filesystem::path> only; ///< as in NightPlaces
    std::filesystem::path recipePath;
    std::filesystem::path out;
    std::filesystem::path nightFile; ///< need not exist yet
    Shared<std::vector<frame::FrameInfo>> frames;
    Shared<std::map<night::FrameId, night::SeriesId>> seriesOf; ///< as the last run had it
    Shared<std::vector<frame::FrameInfo>>
        library;                            ///< masters of other nights that the recipe names
    night::CalibrationSettings calibration; ///< of the recipe
    Shared<std::vector<calibrate::FrameGroup>> groups;
    Shared<std::map<std::size_t, calibrate::MasterMatch>>
        matches;                                    ///< by index of the group of lights
    Shared<std::vector<calibrate::OddFrame>> odd;   ///< frames that differ from those around them
    Shared<std::vector<night::LightRecord>> lights; ///< in order of time
    Shared<std::map<night::FrameId, std::size_t>>
        lightOf;                           ///< the place of a frame among the lights
    SharedRecords<night::PastAct> history; ///< of the observer's decisions
    Shared<night::Decided> decided;        ///< what they make together
    std::vector<bool> excluded;            ///< per light: left out by the observer
    Shared<std::vector<night::PredictionRecord>> predictions;
    Shared<std::map<night::SeriesId, std::vector<BodyPath>>> paths; ///< of the predictions
    Shared<std::vector<night::TrackRecord>> tracks;                 ///< the candidates
    Shared<std::vector<night::SweepRecord>> sweeps;                 ///< as the last run made them
    Shared<std::vector<night::MeasurementRecord>> made; ///< the measurements as the run made them
    Measurements measurements;                          ///< with the decisions laid over
    Shared<std::map<orbit::BodyId, std::vector<std::size_t>>>
        measurementsOf; ///< places in `measurements`
    /// Stacks on the stars, each with the first frame that it was added from.
    std::vector<std::pair<night::FrameId, std::filesystem::path>> starStacks;
    std::map<orbit::BodyId, std::filesystem::path> pictures; ///< of comets, in linear light
    std::vector<BodyView> bodies;                            ///< in order of reach
    bool isArchive = false; ///< made from a list of an archive: nothing to run or to decide

    /// The place of a frame among the lights; -1: it is none of them.
    [[nodiscard]] int placeOf(const night::FrameId& frame) const;

    /// Whether a light is solved, and neither the observer nor a rule leaves it out.
    [[nodiscard]] bool isUsed(std::size_t light) const;

    /// What was read of the camera's file of a light; null: nothing.
    [[nodiscard]] const frame::FrameInfo* infoOf(const night::LightRecord& light) const;

    /// The paths of the bodies through the frames of a series.
    [[nodiscard]] std::span<const BodyPath> pathsOf(const night::SeriesId& series) const;

    /// The places of one body in the frames of a series, in order of time, as places in `predictions`.
    [[nodiscard]] std::span<const std::size_t> predictedIn(const night::SeriesId& series,
                                                           const orbit::BodyId& body) const;

    /// A body on one light, as predicted; null: it is not on it.
    [[nodiscard]] const night::PredictionRecord* predictionOn(const night::LightRecord& light,
                                                              const orbit::BodyId& body) const;

    /// The measurements of a body, as places in `measurements`.
    [[nodiscard]] std::span<const std::size_t> measuredOf(const orbit::BodyId& body) const;
};

/// Fills what is looked up in a snapshot by frame, series and body, and lists the bodies in order of reach. For a snapshot whose
/// lights, predictions and measurements are complete.
void indexNight(NightSnapshot& snapshot);

/// Reads a night file, a list of an archive, or, where a folder has not been run yet, its headers.
///
/// Errors   frame.no_frames, night.file_damaged, night.cannot_store
Result<std::shared_ptr<const NightSnapshot>>
readSnapshot(const std::filesystem::path& folderOrNight);

} // namespace pathmark::desk
