#pragma once

#include "core/base/job.h"
#include "core/catalog/star_store.h"
#include "core/identify/orbit_catalog.h"
#include "core/night/calibration_settings.h"
#include "core/night/decisions.h"
#include "core/night/night_file.h"
#include "core/night/night_part.h"
#include "core/night/protected_sky.h"
#include "core/night/recipe.h"
#include "core/night/sky_tables.h"
#include "core/night/steps/masters_step.h"
#include "core/night/steps/stack_step.h"
#include "core/orbit/place/ephemeris.h"
#include "core/solve/catalogue_patterns.h"

#include <filesystem>
#include <functional>
#include <map>
#include <optional>
#include <string>
#include <vector>

namespace pathmark::night {

/// What is needed to calibrate: less than a whole run is.
struct CalibrationRun {
    std::filesystem::path folder; ///< of the raw frames
    std::filesystem::path out;
    const CalibrationSettings& settings;
    NightFile& file;
    const Job& job;
    std::vector<Error>& failures; ///< what went wrong with single frames and bodies
    Decided decided;              ///< as it stood when the run began

    // What the steps make, in their order.
    std::vector<frame::FrameInfo> frames; ///< each content once
    std::vector<Series> series;           ///< of the lights that are not left out
    std::map<FrameId, SeriesId> seriesOf; ///< of every frame
    std::vector<LightRecord> leftOut;     ///< lights that the observer left out, for the night file
    ProtectedSky protectedSky = {};       ///< what of the lights is no sky
    bool hasMasters = false;              ///< the masters' step is done
    NightPart part = {};                  ///< what of the night is done here

    [[nodiscard]] bool isStopped() const { return job.stop.stop_requested(); }
};

/// Which bodies are to be measured on stacks, which on single frames.
struct MeasurePlan {
    std::vector<BodyId> onFrames;
    std::vector<BodyId> onStacks;
};

/// Everything that the steps of one run share and make.
struct NightRun {
    CalibrationRun calibration;
    const Recipe& recipe;
    const catalog::StarStore& store;
    solve::CataloguePatterns& patterns;
    const SkyTables& sky;
    const identify::OrbitCatalog& orbits;
    std::string skyDigest;                         ///< of the planets' and Earth orientation files
    std::string orbitDigest;                       ///< of the orbit files
    std::function<void(const SweptBody&)> onSwept; ///< may be empty; see RunOptions

    std::vector<LightRecord> lights; ///< in order of time; those that a rule leaves out too
    std::vector<PredictionRecord> predictions;
    std::map<FrameId, std::string> matchKeys; ///< of the predictions of each light
    std::vector<TrackRecord> tracks;
    MeasurePlan plan;
    std::vector<BodyStack> stacks;
    std::vector<std::string> starStackKeys;
    std::vector<std::string> sweptStackKeys;
    std::vector<MeasurementRecord> swept; ///< what sweeps measured of their candidates
    std::vector<std::string> pictureKeys;
    std::vector<MeasurementRecord> measurements;

    [[nodiscard]] NightFile& file() const { return calibration.file; }

    [[nodiscard]] const Job& job() const { return calibration.job; }

    [[nodiscard]] bool isStopped() const { return calibration.isStopped(); }

    void failed(Error error) { calibration.failures.push_back(std::move(error)); }

    /// Where the observer was at a time of the night.
    ///
    /// Errors   orbit.outside_ephemeris
    [[nodiscard]] Result<orbit::Observer> observerAt(const Utc& time) const {
        return orbit::observerAt(sky.planets, recipe.site, time, sky.turn);
    }
};

/// A failure that will meet every further frame too: no space, no right to write, a stop.
inline bool stopsTheNight(const Error& error) {
    return error.id == ErrorId::BaseDiskFull || error.id == ErrorId::BaseCannotWrite ||
           error.id == ErrorId::NightCannotStore || error.id == ErrorId::BaseCancelled;
}

/// What was cancelled is no result.
inline tl::unexpected<Error> stopped() {
    return fail(ErrorId::BaseCancelled, "Stopped; what was finished is kept, run again to go on.");
}

} // namespace pathmark::night
