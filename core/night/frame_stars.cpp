#include "core/night/frame_stars.h"

#include "core/frame/open_frame.h"
#include "core/solve/solve_frame.h"

#include <algorithm>
#include <cmath>

namespace pathmark::night {
namespace {

/// A solution that was fitted to these very sources lies on its stars.
constexpr double kReach = 2.0;
constexpr int kFewestMissed = 40;    // stars without a source that are listed at any rate
constexpr double kCommonScale = 1.5; // arcsec per pixel, where nobody knows

/// North up, seen as on the sky.
frame::Wcs northUp(const SkyPos& centre, double scaleArcsec, const LightRecord& light) {
    frame::Wcs wcs;
    wcs.referenceSky = centre;
    wcs.referencePixel = {0.5 * (light.width - 1), 0.5 * (light.height - 1)};
    const double s = scaleArcsec * kRadiansPerArcsec;
    wcs.cd = {-s, 0.0, 0.0, s};
    return wcs;
}

} // namespace

Result<std::vector<solve::StarResidual>> residualsOf(const detect::Detection& detection,
                                                     solve::FrameSize size,
                                                     const Utc& date,
                                                     const solve::Solution& solution,
                                                     const catalog::StarStore& store) {
    const double reach = 0.53 * size.diagonal() * solution.wcs.scaleArcsec();
    const auto field = store.field(solution.wcs.toSky(size.middle()), Angle::arcsec(reach), date);
    if (!field) {
        return fail(field.error());
    }
    auto stars = solve::starResiduals(detection, solution, *field, size);
    // Stars that are too faint to be seen anyway are no news, and behind clouds only the brightest few are.
    const double depth = solve::matchedDepth(solution);
    int missed = 0;
    const int mostMissed = std::max(kFewestMissed, 2 * solution.usedStars);
    std::erase_if(stars, [&](const solve::StarResidual& star) {
        return star.status == solve::MatchStatus::StarOnly &&
               (star.magG > depth || ++missed > mostMissed);
    });
    return stars;
}

Result<FrameStars> starsOf(const LightRecord& light, const catalog::StarStore& store) {
    auto loaded = frame::readFrame(light.calibrated);
    if (!loaded) {
        return fail(loaded.error());
    }
    detect::DetectOptions options;
    if (light.saturationElectrons > 0.0) {
        options.saturation = light.saturationElectrons;
    }
    auto detection = detect::detectSources(loaded->image, options);
    if (!detection) {
        return fail(detection.error());
    }
    FrameStars result{
        std::move(*detection), {loaded->image.width(), loaded->image.height()}, {}, {}};
    if (!light.solved()) {
        return result;
    }
    auto solution = solve::refineSolution(
        result.detection, result.size, light.middle, *light.wcs, kReach, store);
    if (!solution) {
        return fail(solution.error());
    }
    auto stars = residualsOf(result.detection, result.size, light.middle, *solution, store);
    if (!stars) {
        return fail(stars.error());
    }
    result.solution = std::move(*solution);
    result.stars = std::move(*stars);
    return result;
}

frame::Wcs handFitStart(const LightRecord& light,
                        const frame::FrameInfo& info,
                        std::span<const LightRecord> lights,
                        const catalog::StarStore& store) {
    if (light.solved()) {
        return *light.wcs;
    }
    const LightRecord* nearest = nullptr;
    const auto away = [&](const LightRecord& other) {
        return std::abs(other.middle.secondsSince(light.middle));
    };
    for (const LightRecord& other : lights) {
        if (other.series == light.series && other.solved() &&
            (nearest == nullptr || away(other) < away(*nearest))) {
            nearest = &other;
        }
    }
    if (nearest != nullptr) {
        return *nearest->wcs;
    }
    const double binned = info.width >= 2 * light.width ? 2.0 : 1.0;
    const auto scale = info.scaleArcsec();
    SkyPos centre;
    if (info.pointing) {
        centre = *info.pointing;
    } else if (const auto directions = store.brightestDirections(1); !directions.empty()) {
        centre = SkyPos::fromVector(directions.front());
    }
    return northUp(centre, scale ? *scale * binned : kCommonScale, light);
}

} // namespace pathmark::night
