#pragma once

#include "core/night/steps/night_run.h"

#include <map>
#include <optional>
#include <span>
#include <string>
#include <vector>

namespace pathmark::night {

/// The known bodies but one that pass a place in a frame, each where it is predicted or was seen.
struct OtherBody {
    BodyId body;
    std::string title;
    SkyPos sky;
    double magnitude = 0.0;
    double rateArcsecPerMin = 0.0;
    double positionAngleDegrees = 0.0;
    Utc time; ///< of the place

    [[nodiscard]] SkyPos at(const Utc& when) const;
};

/// The predictions of a run, frame by frame; they must outlive it and stay where they are.
class FramePredictions {
  public:
    explicit FramePredictions(const std::vector<PredictionRecord>& all);

    /// In their own order.
    [[nodiscard]] std::span<const PredictionRecord* const> of(const FrameId& frame) const;

    /// Null where the body is not foretold there.
    [[nodiscard]] const PredictionRecord* of(const FrameId& frame, const BodyId& body) const;

    /// The bodies within `reachArcsec` of a place in that frame, all but one. Without a magnitude one cannot tell what it would
    /// do, and it is left out.
    [[nodiscard]] std::vector<OtherBody>
    others(const BodyId& own, const FrameId& frame, const SkyPos& place, double reachArcsec) const;

  private:
    std::map<FrameId, std::vector<const PredictionRecord*>> byFrame_;
};

/// Why what was measured may be the light of something else: another known body as bright stands there, or the light is far
/// brighter than the orbit's magnitude. Empty: no reason.
std::string doubtOf(const MeasurementRecord& record,
                    const std::optional<double>& predictedMagnitude,
                    std::span<const OtherBody> others,
                    double scaleArcsec,
                    const ReviewRules& rules = {});

/// Mean of the values of a picture within `reach` pixels of a place; nothing where it has none there.
std::optional<double>
meanAbout(const frame::Image& image, const frame::PixelPos& middle, double reach);

/// Why what was measured on a stack may be what is left of a star: of the values within a star's width about it too many were left out
/// because they stood above the others, and what of that star stood below is still there. Of fifteen frames one may show a star; of two
/// none may. Empty: no reason.
///
/// Shapes   `clipped`: how many values of each pixel of the stack were left out
std::string clippedDoubt(const MeasurementRecord& record, const frame::Image& clipped);

} // namespace pathmark::night
