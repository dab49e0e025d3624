#pragma once

#include "core/detect/moffat.h"
#include "core/frame/frame_info.h"
#include "core/frame/wcs.h"
#include "core/solve/attempt.h"
#include "core/solve/photometric_match.h"
#include "core/solve/wcs_fit.h"

#include <nlohmann/json_fwd.hpp>

#include <filesystem>
#include <optional>
#include <span>
#include <string>
#include <vector>

namespace pathmark::night {

/// What is known of one light after it was calibrated and solved.
struct LightRecord {
    std::filesystem::path raw;
    std::filesystem::path calibrated;
    std::string series;    ///< title of its group
    std::string leftOutBy; ///< the rule that leaves it out of stacks and measurements; empty: none
    Utc middle;
    double rowSeconds =
        0.0; ///< a rolling shutter's delay from one row of the calibrated frame to the next
    double exposureSeconds = 0.0;
    std::string filter;
    int hits = 0;  ///< pixels struck by particles
    int width = 0; ///< of the calibrated frame
    int height = 0;
    std::string problem;                        ///< why it was not solved; empty where it was
    std::optional<solve::SolveAttempt> attempt; ///< what solving met, where it failed
    std::string foundBy; ///< what led to the solution, see solve::name(FoundBy)
    std::optional<frame::Wcs> wcs;
    double rmsArcsec = 0.0;
    double solutionErrorPixels = 0.0;   ///< of the solution along an axis, typical over the frame
    solve::SolutionError solutionError; ///< the same at every place
    double falseAlarmLog10 = 0.0;
    int matchedStars = 0;
    int sources = 0;
    detect::Moffat shape;
    double fwhmPixels = 0.0;
    double elongation = 1.0;
    double skyElectrons = 0.0;
    double noiseElectrons = 0.0;
    double saturationElectrons = 0.0;
    std::optional<solve::PhotometricMatch> photometry;

    [[nodiscard]] bool solved() const { return wcs.has_value(); }

    /// One standard deviation of the solution along an axis at a pixel; the typical one where the places' are not known.
    [[nodiscard]] double solutionErrorAt(frame::PixelPos pixel) const {
        return solutionError.covariance.empty() ? solutionErrorPixels : solutionError.at(pixel);
    }
};

enum class MeasurementState { Kept, Parked, Dropped };

const char* name(MeasurementState state);
std::optional<MeasurementState> measurementStateNamed(std::string_view name);

/// One measurement of one body on one frame or stack.
struct MeasurementRecord {
    std::string id; ///< stable for the same body and picture
    std::string body;
    std::filesystem::path picture; ///< the calibrated frame or the stack
    int frames = 1;                ///< 1 for a single frame
    Utc time;
    double exposureSeconds = 0.0; ///< of one frame
    bool seen = false;
    SkyPos sky;
    SkyPos predicted;
    frame::PixelPos pixel;
    double raErrorArcsec = 0.0;
    double decErrorArcsec = 0.0;
    double observedMinusComputedRa = 0.0;
    double observedMinusComputedDec = 0.0;
    double rateArcsecPerMin = 0.0;
    double positionAngleDegrees = 0.0;
    double snr = 0.0;
    double predictedSnr = 0.0;
    double flux = 0.0;
    std::optional<double> magnitude;
    double magnitudeError = 0.0;
    std::string band;
    double fwhmPixels = 0.0;
    int usedStars = 0;
    bool candidate = false; ///< of no known body: reported under the observer's own name
    MeasurementState state = MeasurementState::Kept;
    std::string reason; ///< why parked or dropped, or why nothing was seen
};

/// A known body in one frame, as predicted.
struct PredictionRecord {
    std::string body;
    std::filesystem::path frame; ///< raw path of the light
    Utc time;
    SkyPos sky;
    frame::PixelPos pixel;
    double rateArcsecPerMin = 0.0;
    double positionAngleDegrees = 0.0;
    std::optional<double> magnitude;
    std::optional<double> snr; ///< predicted for the frame
    /// One standard deviation as an ellipse, arcsec; its direction in degrees east of north.
    double sigmaMajorArcsec = 0.0;
    double sigmaMinorArcsec = 0.0;
    double sigmaAngleDegrees = 0.0;
    bool candidate = false; ///< no known body: a motion found in the frames themselves

    /// The source that agrees with the prediction.
    struct Match {
        std::size_t source = 0; ///< index into the light's sources
        double raArcsec = 0.0;  ///< observed minus computed, on the sky
        double decArcsec = 0.0;
        double chiSquare = 0.0;
        double chance = 0.0; ///< unrelated sources expected to agree as well
        double snr = 0.0;
    };

    std::optional<Match> match;
};

nlohmann::json toJson(const LightRecord& record);
nlohmann::json toJson(const frame::Wcs& wcs);
frame::Wcs wcsFromJson(const nlohmann::json& json);
nlohmann::json toJson(const MeasurementRecord& record);
nlohmann::json toJson(const PredictionRecord& record);
nlohmann::json toJson(const frame::FrameInfo& info);

/// Failures as a list of {"id", "file", "message"}.
nlohmann::json toJson(std::span<const Error> failures);

/// The records back from their JSON; throws nlohmann's exceptions on damaged text.
LightRecord lightFromJson(const nlohmann::json& json);
MeasurementRecord measurementFromJson(const nlohmann::json& json);
PredictionRecord predictionFromJson(const nlohmann::json& json);
frame::FrameInfo frameInfoFromJson(const nlohmann::json& json);

} // namespace pathmark::night
