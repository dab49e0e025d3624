#pragma once

#include "core/base/job.h"
#include "core/catalog/star_store.h"
#include "core/frame/image.h"
#include "core/night/records.h"
#include "core/night/source_records.h"

#include <optional>
#include <span>
#include <string>
#include <vector>

namespace pathmark::night {

/// A light that stands in one of two pictures of a place and not in the other.
struct DifferingLight {
    bool isNew = true; ///< it stands in the picture of now; else in that of then
    frame::PixelPos pixel;
    SkyPos sky;
    double snr = 0.0; ///< where it stands
    std::optional<double> magnitude;
    double overLimit = 0.0; ///< by how many errors the other picture would have shown it
    std::string known;      ///< the known body that is predicted there; empty: none
};

/// A part of the sky.
struct SkyCircle {
    SkyPos middle;
    Angle radius;

    [[nodiscard]] bool holds(const SkyPos& sky) const { return separation(sky, middle) <= radius; }
};

/// A light of now, what was found in it, and in what part of it is looked.
struct NowFrame {
    const LightRecord* light = nullptr; ///< solved
    std::vector<SourceRecord> sources;
};

struct DifferenceRequest {
    NowFrame now;
    std::vector<NowFrame> others; ///< of the same field: a light that none of them shows is none
    std::span<const PredictionRecord> known; ///< of the night
    const catalog::StarStore* stars =
        nullptr;                  ///< may be null; stars that moved since are passed over
    std::optional<Utc> epoch;     ///< of the picture of then
    std::vector<SkyCircle> comae; ///< as far as comets stand out of the sky of now
};

/// What stands in one of two pictures and not in the other, new lights first, by how far the other picture would have shown them.
///
/// Model    What a source of now should be like in the picture of then is told by the stars of its brightness: the median of what their
///          circles hold there, sky taken off, so that the picture need not be linear in light. It is missing where its own circle holds
///          less than 0.4 of that, by more than 5 of the errors that circles on the empty sky and the stars' scatter say. Sources that the
///          catalogue explains are stars; what lies in a coma, but for its nucleus, is the comet's light. A light of then is gone where no
///          source of now stands within a star's width, and no star of the catalogue stood at its epoch.
/// Shapes   `then` has the pixels of the light.
/// Errors   solve.too_few_stars  the pictures have fewer than ten stars in common; those of detectSources
Result<std::vector<DifferingLight>> differingLights(const frame::Image& then,
                                                    const DifferenceRequest& request);

/// Those of them within a circle: a body is near its place.
std::vector<DifferingLight> lightsWithin(std::vector<DifferingLight> lights,
                                         const SkyCircle& circle);

} // namespace pathmark::night
