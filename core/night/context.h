#pragma once

#include "core/base/job.h"
#include "core/calibrate/apply.h"
#include "core/calibrate/dark_scale.h"
#include "core/calibrate/groups.h"
#include "core/calibrate/master.h"
#include "core/calibrate/match.h"
#include "core/calibrate/surface.h"
#include "core/catalog/star_store.h"
#include "core/detect/detect.h"
#include "core/identify/orbit_catalog.h"
#include "core/night/calibration_settings.h"
#include "core/night/decisions.h"
#include "core/night/night_file.h"
#include "core/night/recipe.h"
#include "core/night/sky_tables.h"
#include "core/orbit/place/ephemeris.h"
#include "core/solve/catalogue_patterns.h"

#include <filesystem>
#include <map>
#include <memory>
#include <string>
#include <vector>

namespace pathmark::night {

/// Changes whenever the same inputs would give other pixels or values: old products are then stale.
constexpr const char* kProductVersion = "5";

/// What calibrating needs: less than a whole run does.
struct CalibrationContext {
    std::filesystem::path out;
    const CalibrationSettings& settings;
    NightFile& file;
    const Job& job;
    std::vector<Error>& failures; ///< what went wrong with single frames
};

/// Everything the steps of one run share.
struct RunContext {
    std::filesystem::path folder;
    std::filesystem::path out;
    Recipe recipe;
    NightFile& file;
    const catalog::StarStore& store;
    solve::CataloguePatterns& patterns;
    const SkyTables& sky;
    const identify::OrbitCatalog& orbits;
    const Job& job;
    std::vector<Error>& failures; ///< what went wrong with single frames and bodies

    [[nodiscard]] CalibrationContext calibration() {
        return {out, recipe.calibration, file, job, failures};
    }
};

/// Where the observer was at a time of the night.
///
/// Errors   orbit.outside_ephemeris
inline Result<orbit::Observer> observerOf(const RunContext& context, const Utc& time) {
    return orbit::observerAt(context.sky.planets, context.recipe.site, time, context.sky.turn);
}

/// A master on disk.
struct MasterFile {
    std::filesystem::path path;
    std::string key;
};

/// The masters of one series of lights and what they were made from. Pixels stay on disk until the series is
/// in hand.
struct SeriesCalibration {
    std::map<calibrate::Role, MasterFile> masters;
    std::optional<calibrate::DarkScale> darkScale;
    frame::NoiseModel noise;
    std::string digest; ///< of all masters, the noise model and the settings
    calibrate::MasterMatch match;
    std::string
        withoutFlats; ///< what was done for want of flats, in words; empty where there are some
    bool levelled = false; ///< each frame is brought to a smooth background
};

struct NightMatch;

/// One series with its calibration.
struct Series {
    calibrate::FrameGroup lights;
    SeriesCalibration calibration;
    std::shared_ptr<const NightMatch> night; ///< the groups that the match speaks of
};

/// A night's groups with what feeds each series of lights.
struct NightMatch {
    std::vector<calibrate::FrameGroup> groups;            ///< those of the library too
    std::map<std::size_t, calibrate::MasterMatch> series; ///< by index of the group of lights
};

/// Sorts frames and the library's masters into groups and matches them, as the observer decided.
NightMatch matchNight(std::span<const frame::FrameInfo> frames,
                      std::span<const frame::FrameInfo> library,
                      const MatchDecisions& decisions);

/// Sorts the frames and builds the masters that the lights need.
///
/// Errors   night.no_lights, base.*, night.cannot_store
Result<std::vector<Series>> calibrateStep(CalibrationContext& context,
                                          const std::vector<frame::FrameInfo>& frames);

/// The masters of one series in memory, and the calibrator made of them.
struct LoadedCalibration {
    std::map<calibrate::Role, calibrate::Master> masters;
    std::optional<calibrate::DefectMap> lightDefects;
    std::unique_ptr<calibrate::Calibrator> calibrator;
    std::optional<calibrate::Surface> gradient; ///< of the whole series, where wanted so
};

/// Errors   frame.* of the masters' files
Result<LoadedCalibration> loadCalibration(const CalibrationContext& context, const Series& series);

/// Reads and calibrates one light: masters, then levelling or gradient where wanted.
///
/// Errors   frame.* of the light; calibrate.no_background
Result<calibrate::CalibratedFrame> calibrateLight(const CalibrationContext& context,
                                                  const Series& series,
                                                  const LoadedCalibration& loaded,
                                                  const frame::FrameInfo& info);

/// A failure that will meet every further frame too: no space, no right to write.
inline bool stopsTheNight(const Error& error) {
    return error.id == ErrorId::BaseDiskFull || error.id == ErrorId::BaseCannotWrite;
}

/// Where each light's result goes: OUT/calibrated, its stem, with a number where two lights share one.
std::map<std::filesystem::path, std::filesystem::path>
calibratedPaths(const std::filesystem::path& out, std::span<const Series> series);

/// Makes particle hits NaN, drops what was taken for a source there and notes the number of pixels in the header.
///
/// Shapes   The places of `found` count from `origin` on the frame: the sources may be those of a part of it.
/// Returns  the number of pixels
int maskHits(calibrate::CalibratedFrame& frame,
             detect::Detection& found,
             frame::PixelPos origin = {});

/// Writes a calibrated light with the middle of its exposure and the key of what it was made from.
///
/// Errors   base.cannot_write, base.disk_full
Result<bool> writeCalibrated(calibrate::CalibratedFrame& frame,
                             const frame::FrameInfo& info,
                             const std::filesystem::path& target,
                             const std::string& key);

/// Calibrates, searches and solves every light; each frame's own failure is noted and the others go on.
Result<std::vector<LightRecord>> lightStep(RunContext& context, const std::vector<Series>& series);

/// Predicts the known bodies in every solved light, and matches them with its sources.
Result<std::vector<PredictionRecord>> identifyStep(RunContext& context,
                                                   const std::vector<LightRecord>& lights);

/// Links what moves and is no known body into tracks; their places are added to the predictions.
Result<std::vector<TrackRecord>> linkStep(RunContext& context,
                                          const std::vector<LightRecord>& lights,
                                          std::vector<PredictionRecord>& predictions);

/// A stack of part of a series on the stars, with what is needed to measure on it.
struct StarStack {
    std::vector<std::size_t> lights; ///< indices into the lights
    std::filesystem::path path;
    frame::Wcs wcs;
    int width = 0;
    int height = 0;
    Utc middle;
    double spanSeconds = 0.0; ///< from the first frame's opening to the last one's closing
    detect::Moffat shape;
    double noise = 0.0;
    double solutionErrorPixels = 0.0;
    int usedStars = 0;
    std::optional<solve::PhotometricMatch> photometry;
    double exposureSeconds = 0.0;
};

/// A stack on one body's motion.
struct BodyStack {
    std::string body;
    StarStack frame; ///< the same frames on the stars
    std::filesystem::path path;
    frame::Wcs wcs;     ///< sky at the stack's middle time
    orbit::Place place; ///< predicted at the stack's middle time
};

/// Which bodies are to be measured on stacks, which on single frames.
struct MeasurePlan {
    std::vector<std::string> onFrames;
    std::vector<std::string> onStacks;
};

MeasurePlan planBodies(const RunContext& context, const std::vector<PredictionRecord>& predictions);

/// Makes the stacks of the plan.
Result<std::vector<BodyStack>> stackStep(RunContext& context,
                                         const std::vector<LightRecord>& lights,
                                         const std::vector<PredictionRecord>& predictions,
                                         const MeasurePlan& plan);

/// Measures the bodies of the plan on frames and stacks.
Result<std::vector<MeasurementRecord>> measureStep(RunContext& context,
                                                   const std::vector<LightRecord>& lights,
                                                   const std::vector<PredictionRecord>& predictions,
                                                   const MeasurePlan& plan,
                                                   const std::vector<BodyStack>& stacks);

} // namespace pathmark::night
