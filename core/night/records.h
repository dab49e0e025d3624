#pragma once

#include "core/calibrate/groups.h"
#include "core/detect/moffat.h"
#include "core/frame/cell_lean.h"
#include "core/frame/frame_info.h"
#include "core/frame/wcs.h"
#include "core/orbit/body_id.h"
#include "core/solve/attempt.h"
#include "core/solve/photometric_match.h"
#include "core/solve/wcs_fit.h"

#include <filesystem>
#include <optional>
#include <string>
#include <vector>

// What the night file keeps. Each record has one list of its fields in record_fields.h; a light is made of what each
// step says of it.
namespace pathmark::night {

using calibrate::SeriesId;
using frame::FrameId;
using orbit::BodyId;

/// What a light's header was taken to mean, and where it stands in the night.
struct TakenPart {
    FrameId frame;
    std::filesystem::path raw;
    SeriesId series;
    std::string seriesTitle; ///< for people
    Utc middle;
    double rowSeconds =
        0.0; ///< a rolling shutter's delay from one row of the calibrated frame to the next
    double exposureSeconds = 0.0;
    std::string filter;
    bool timeUnsure = false; ///< see FrameInfo
    std::string leftOutBy; ///< the rule that leaves it out of stacks and measurements; empty: none
};

/// What calibrating made of a light.
struct CalibratedPart {
    std::filesystem::path calibrated;
    int width = 0; ///< of the calibrated frame
    int height = 0;
    double saturationElectrons = 0.0;
    int defects = 0;
    int hits = 0; ///< pixels struck by particles
    /// What the middle of the frame shows; FWHM 0 where no stars were found in it.
    double middleFwhmPixels = 0.0;
    double middleSkyElectrons = 0.0;
    double middleNoiseElectrons = 0.0;
    int middleSources = 0;
};

/// How the stars of a colour camera look on its own pixels, where its lights are sums of cells.
struct MosaicShape {
    detect::Moffat shape; ///< raw pixels
    double trailX = 0.0;  ///< raw pixels from end to end
    double trailY = 0.0;
    double red = 1.0; ///< electrons of an average star in a red pixel where a green one has 1
    double blue = 1.0;
    double leanX =
        0.0; ///< raw pixels that an average star in the sums of cells lies from its true place
    double leanY = 0.0;
};

/// What was found in a light.
struct SourcesPart {
    int sources = 0;
    detect::Moffat shape;
    double trailX = 0.0; ///< pixels from end to end that all stars are drawn out by
    double trailY = 0.0;
    std::optional<MosaicShape> mosaic;
    double fwhmPixels = 0.0;
    double elongation = 1.0;
    double skyElectrons = 0.0;
    double noiseElectrons = 0.0;
    std::string withoutSources; ///< why nothing was found; empty where something was
};

/// What SolutionPart::foundBy says of a light of a night without a star catalogue.
inline constexpr const char* kByOwnStars = "own stars";

/// Where a light looks.
struct SolutionPart {
    std::string problem;                        ///< why it was not solved; empty where it was
    std::optional<solve::SolveAttempt> attempt; ///< what solving met, where it failed
    std::string foundBy; ///< what led to the solution, see solve::name(FoundBy)
    std::optional<frame::Wcs> wcs;
    double rmsArcsec = 0.0;
    double solutionErrorPixels = 0.0;   ///< of the solution along an axis, typical over the frame
    solve::SolutionError solutionError; ///< the same at every place
    double falseAlarmLog10 = 0.0;
    int matchedStars = 0;
};

/// How bright its stars are.
struct ZeroPointPart {
    std::optional<solve::PhotometricMatch> photometry;
};

/// The keys of the products that a light has; empty where it has none.
struct LightKeys {
    std::string calibrated;
    std::string sources;
    std::string solution;
    std::string zeroPoint;

    friend bool operator==(const LightKeys&, const LightKeys&) = default;
};

/// What is known of one light after it was calibrated and solved.
struct LightRecord : TakenPart, CalibratedPart, SourcesPart, SolutionPart, ZeroPointPart {
    LightKeys keys;

    [[nodiscard]] bool solved() const { return wcs.has_value(); }

    /// Whether its solution is no place on the sky: it is only laid on the other lights.
    [[nodiscard]] bool isRelative() const { return foundBy == kByOwnStars; }

    /// One standard deviation of the solution along an axis at a pixel; the typical one where the places' are not known.
    [[nodiscard]] double solutionErrorAt(frame::PixelPos pixel) const {
        return solutionError.covariance.empty() ? solutionErrorPixels : solutionError.at(pixel);
    }

    /// One standard deviation, along an axis, by which a body of another colour than the stars leans on sums of cells; pixels.
    [[nodiscard]] double leanError() const {
        // The mosaic's pixels are half as large.
        return mosaic ? frame::leanError(frame::PixelPos{0.5 * mosaic->leanX, 0.5 * mosaic->leanY})
                      : 0.0;
    }

    /// The middle of a solved light on the sky.
    [[nodiscard]] SkyPos skyMiddle() const {
        return wcs->toSky({0.5 * (width - 1), 0.5 * (height - 1)});
    }
};

enum class MeasurementState { Kept, Parked, Dropped };

const char* name(MeasurementState state);
std::optional<MeasurementState> measurementStateNamed(std::string_view name);

/// What a light that is measured by hand is taken for.
enum class HandModel { Light, Place, Trail, Coma };

const char* name(HandModel model);
std::optional<HandModel> handModelNamed(std::string_view name);

/// The light of a comet within a circle about its nucleus.
struct ComaAperture {
    double radiusArcsec = 0.0;
    std::optional<double> magnitude;
    double magnitudeError = 0.0;
};

/// What was measured of a comet beyond its place and whole brightness.
struct ComaPart {
    double slope = 0.0;        ///< the inner coma's brightness goes as rho^-slope
    double extentArcsec = 0.0; ///< how far coma or tail stand out of the sky
    std::string centroid;      ///< what the place is, see measure::CometMeasured
    std::vector<ComaAperture> apertures;
};

/// One measurement of one body on one frame or stack.
struct MeasurementRecord {
    std::string id; ///< of the body and the frames that it was measured on, see measurementId
    BodyId body;
    FrameId frame;                 ///< of a single frame; not known for a stack
    std::filesystem::path picture; ///< the calibrated frame or the stack
    int frames = 1;                ///< 1 for a single frame
    bool onStack = false;
    Utc time;
    double exposureSeconds = 0.0; ///< of one frame
    double spanSeconds =
        0.0; ///< of a stack: from its first frame's opening to its last one's closing
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
    std::optional<double> limit;  ///< where nothing was seen: the magnitude of what would have been
    std::optional<ComaPart> coma; ///< of comets
    bool candidate = false;       ///< of no known body: reported under the observer's own name
    MeasurementState state = MeasurementState::Kept;
    std::string reason; ///< why parked or dropped, or why nothing was seen
};

/// The id of a measurement: the same whatever the picture is called and wherever it lies.
std::string measurementId(const BodyId& body, std::vector<FrameId> frames);

/// The order of measurements: by body, time and id.
bool comesBefore(const MeasurementRecord& a, const MeasurementRecord& b);

/// A match that fewer unrelated sources than this would make is taken for the body.
constexpr double kSureMatch = 0.01;

/// A known body in one frame, as predicted.
struct PredictionRecord {
    BodyId body;
    std::string title; ///< the body's name as its list of orbits gives it, for people
    FrameId frame;
    std::filesystem::path file; ///< of that frame, for people
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

    /// Where the source is that agrees; nothing where none does.
    [[nodiscard]] std::optional<SkyPos> matchedAt() const;

    [[nodiscard]] bool isSurelyMatched() const { return match && match->chance < kSureMatch; }

    /// matchedAt() of a match that is taken for the body.
    [[nodiscard]] std::optional<SkyPos> surelyAt() const {
        return isSurelyMatched() ? matchedAt() : std::nullopt;
    }
};

/// A picture of stars and a comet, in linear light; its planes lie in a file, see picture_file.h.
struct PictureRecord {
    BodyId body;
    Utc time; ///< when the comet is where it stands
    int frames = 0;
    std::string planes;         ///< in words, which light became which plane
    std::string white;          ///< in words, what is white
    int colourStars = 0;        ///< that white was told by
    double colourScatter = 0.0; ///< magnitudes; 0: not known
};

/// Sources that move together and are no known body.
struct TrackRecord {
    struct Member {
        FrameId frame;
        frame::PixelPos pixel;
        double snr = 0.0;
    };

    std::string name; ///< the observer's own designation, up to seven characters
    std::vector<Member> members;
    Utc reference;
    SkyPos place; ///< at the reference time
    double rateArcsecPerMin = 0.0;
    double positionAngleDegrees = 0.0;
    double reducedChiSquare = 0.0;
    int framesLooked = 0; ///< frames whose field the motion crosses
    /// Power of ten of the number of tracks as good as this that chance would make in the field.
    double falseTracksLog10 = 0.0;
    std::string resembles; ///< a known body that moves alike not far away; may be empty
    double resemblesArcsec = 0.0;
};

/// A search for bodies too faint for one frame, along every motion within bounds.
struct SweepWish {
    double leastRate = 0.0; ///< arcsec per minute
    double mostRate = 0.0;
    std::optional<double>
        fromDegrees; ///< position angles, turning east from the first to the second; absent: all
    std::optional<double> toDegrees;
    double falseAlarms = 0.1; ///< candidates that chance may make in the whole sweep
    int groups = 3;           ///< stacks in time in which each candidate is measured

    friend bool operator==(const SweepWish&, const SweepWish&) = default;
};

/// A light that a sweep found on a motion of its own.
struct SweptBody {
    std::string
        name; ///< the observer's own designation, up to seven characters, or that of the known body
    bool known = false; ///< moves where a known body or a candidate of single frames does
    Utc time;           ///< the middle of the frames
    SkyPos place;       ///< at that time
    double rateArcsecPerMin = 0.0;
    double positionAngleDegrees = 0.0;
    double bendArcsec = 0.0; ///< off its straight line `bendSeconds` before and after
    double bendAngleDegrees = 0.0;
    double bendSeconds = 1.0;
    double snr = 0.0; ///< of all frames together
    double falseAlarmsLog10 =
        0.0; ///< candidates as high as this that chance makes in the whole sweep
    std::optional<double> magnitude;
    std::vector<double>
        frameSnr; ///< in each frame of the sweep; NaN where it does not see the place

    /// Where it is at a time.
    [[nodiscard]] SkyPos at(const Utc& when) const;
};

/// A light that was as high as a candidate and is no body.
struct RefusedLight {
    SkyPos place;
    double rateArcsecPerMin = 0.0;
    double positionAngleDegrees = 0.0;
    double snr = 0.0;
    std::string why;
};

/// What a sweep over the frames of a series found.
struct SweepRecord {
    SeriesId series;
    SweepWish wish;
    std::vector<FrameId> frames; ///< in order of time
    double motions = 0.0;        ///< that were tried
    double thresholdSnr = 0.0;
    std::optional<double> depth; ///< the magnitude of what reaches the threshold
    std::string band;
    std::vector<SweptBody> bodies; ///< the surest first
    std::vector<RefusedLight> refused;
};

} // namespace pathmark::night
