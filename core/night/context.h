#pragma once

#include "core/base/job.h"
#include "core/calibrate/groups.h"
#include "core/calibrate/master.h"
#include "core/calibrate/match.h"
#include "core/catalog/star_store.h"
#include "core/night/night_file.h"
#include "core/night/recipe.h"
#include "core/orbit/ephemeris.h"
#include "core/orbit/orbit_file.h"
#include "core/orbit/planets.h"

#include <filesystem>
#include <map>
#include <memory>
#include <string>
#include <vector>

namespace pathmark::night {

/// Changes whenever the same inputs would give other pixels or values: old products are then stale.
constexpr const char* kProductVersion = "1";

/// Everything the steps of one run share.
struct RunContext {
    std::filesystem::path folder;
    std::filesystem::path out;
    Recipe recipe;
    NightFile& file;
    const catalog::StarStore& store;
    const orbit::Planets& planets;
    std::span<const orbit::Elements> orbits;
    const Job& job;
    std::vector<Error>& failures; ///< what went wrong with single frames and bodies
};

/// The masters of one series of lights and what they were made from.
struct SeriesCalibration {
    std::shared_ptr<const calibrate::Master> dark;
    std::shared_ptr<const calibrate::Master> bias;
    std::shared_ptr<const calibrate::Master> scaledDark;
    std::shared_ptr<const calibrate::Master> flat;
    frame::NoiseModel noise;
    std::string digest; ///< of all masters and the noise model
    calibrate::MasterMatch match;
};

/// One series with its calibration.
struct Series {
    calibrate::FrameGroup lights;
    SeriesCalibration calibration;
};

/// Sorts the frames and builds the masters that the lights need.
///
/// Errors   night.no_lights, base.*, night.cannot_store
Result<std::vector<Series>> calibrateStep(RunContext& context,
                                          const std::vector<frame::FrameInfo>& frames);

/// Calibrates, searches and solves every light; each frame's own failure is noted and the others go on.
Result<std::vector<LightRecord>> lightStep(RunContext& context, const std::vector<Series>& series);

/// Predicts the known bodies in every solved light.
Result<std::vector<PredictionRecord>> identifyStep(RunContext& context,
                                                   const std::vector<LightRecord>& lights);

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
