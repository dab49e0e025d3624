#include "core/night/steps/passing_stars.h"

#include "core/detect/point_spread.h"
#include "core/measure/measure_body.h"
#include "core/night/star_sources.h"
#include "core/night/steps/night_run.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <vector>

namespace pathmark::night {
namespace {

constexpr double kFitFwhm = 3.5;  ///< about a body what its fit sees
constexpr double kCoreFwhm = 1.0; ///< about a body what its place and light come from
constexpr double kFarthestFwhm =
    3.0; ///< that a star is followed: farther out its light is as even as the sky
constexpr std::size_t kFewestLeft = 2;          ///< frames that are to be left about the body
constexpr std::array kSeen{0.1, 0.3, 1.0, 3.0}; ///< of the noise of a sky pixel

/// A light about the body.
struct Passed {
    const LightRecord* light = nullptr;
    const frame::Wcs* wcs = nullptr;
    detect::PointSpread spread;
    frame::PixelPos body;
    double trail = 0.0; ///< half of the body's, pixels

    /// Pixels about the body.
    [[nodiscard]] double reach(double fwhm) const { return fwhm * light->shape.fwhm() + trail; }
};

/// Empty where the body or the light of stars is not known on all of them.
std::vector<Passed> passedOf(const NightRun& run,
                             const BodyStack& stack,
                             const SkyPos& seen,
                             std::span<const stack::StackFrame> inputs) {
    std::vector<Passed> all;
    for (std::size_t i = 0; i < inputs.size(); ++i) {
        const LightRecord& light = run.lights[stack.frame.lights[i]];
        const stack::FramePlace& place = inputs[i].place;
        const auto pixel = place.wcs.toPixel(fromTangentPlane(seen, place.shift));
        if (!pixel || !light.photometry) {
            return {};
        }
        const double way = stack.place.rateArcsecPerMin() * light.exposureSeconds / 60.0;
        all.push_back({&light,
                       &place.wcs,
                       detect::PointSpread(light.shape, light.trailX, light.trailY),
                       *pixel,
                       0.5 * way / place.wcs.scaleArcsec()});
    }
    return all;
}

/// A star on one of the lights.
struct StarSeen {
    std::size_t frame = 0;
    std::int64_t star = 0;
    frame::PixelPos pixel;
    double flux = 0.0; ///< electrons
};

std::vector<StarSeen> placed(const std::vector<Passed>& frames,
                             const std::vector<catalog::Star>& stars) {
    std::vector<StarSeen> all;
    for (std::size_t i = 0; i < frames.size(); ++i) {
        const LightRecord& light = *frames[i].light;
        for (const catalog::Star& star : stars) {
            if (const auto pixel = frames[i].wcs->toPixel(star.place)) {
                all.push_back({i,
                               star.sourceId,
                               *pixel,
                               electronsOf(star, *light.photometry, light.exposureSeconds)});
            }
        }
    }
    return all;
}

/// What of a star stands out in one of the lights.
struct Disc {
    std::size_t frame = 0;
    std::int64_t star = 0;
    stack::LeftOutDisc disc;
    bool isAtBody = false;
};

/// The discs that touch what the fit of the body sees.
std::vector<Disc>
discsOf(const std::vector<Passed>& frames, const std::vector<StarSeen>& stars, double seenAbove) {
    std::vector<Disc> discs;
    for (const StarSeen& star : stars) {
        const Passed& frame = frames[star.frame];
        const double trail = frame.spread.trailHalf();
        const double seen =
            frame.spread.lightRadius(star.flux, seenAbove * frame.light->noiseElectrons) - trail;
        if (seen <= 0.0) {
            continue;
        }
        const double whole = std::min(seen, kFarthestFwhm * frame.light->shape.fwhm()) + trail;
        const double gap =
            std::hypot(star.pixel.x - frame.body.x, star.pixel.y - frame.body.y) - whole;
        if (gap < frame.reach(kFitFwhm)) {
            discs.push_back(
                {star.frame, star.star, {star.pixel, whole}, gap < frame.reach(kCoreFwhm)});
        }
    }
    return discs;
}

/// The frames that no star reaches the body in.
std::vector<std::size_t> leftOf(std::size_t frames, const std::vector<Disc>& discs) {
    std::vector<std::size_t> left;
    for (std::size_t i = 0; i < frames; ++i) {
        if (std::none_of(discs.begin(), discs.end(), [&](const Disc& disc) {
                return disc.frame == i && disc.isAtBody;
            })) {
            left.push_back(i);
        }
    }
    return left;
}

/// So far about the body stars are asked for, arcsec.
double reachOf(const std::vector<Passed>& frames) {
    double reach = 0.0;
    for (const Passed& frame : frames) {
        const double pixels = frame.spread.trailHalf() + frame.reach(kFarthestFwhm + kFitFwhm);
        reach = std::max(reach, pixels * frame.wcs->scaleArcsec());
    }
    return reach;
}

} // namespace

PassingStars leaveOutPassingStars(const NightRun& run,
                                  const BodyStack& stack,
                                  const SkyPos& seen,
                                  std::span<stack::StackFrame> inputs) {
    PassingStars passing;
    const double way = stack.place.rateArcsecPerMin() * stack.frame.spanSeconds / 60.0;
    if (way <
        measure::kClippedTrailFwhm * stack.frame.shape.fwhm() * stack.frame.wcs.scaleArcsec()) {
        return passing;
    }
    const auto frames = passedOf(run, stack, seen, inputs);
    if (frames.empty()) {
        return passing;
    }
    const auto stars = run.store.field(seen, Angle::arcsec(way + reachOf(frames)), stack.middle);
    if (!stars) {
        return passing;
    }
    const auto onFrames = placed(frames, *stars);
    const std::size_t fewest = std::max(kFewestLeft, (frames.size() + 1) / 2);
    for (const double seenAbove : kSeen) {
        const auto discs = discsOf(frames, onFrames, seenAbove);
        const auto left = leftOf(frames.size(), discs);
        if (left.size() < fewest) {
            passing.problem = fmt::format(
                "a star passes in {} of {} frames", frames.size() - left.size(), frames.size());
            continue;
        }
        for (const Disc& disc : discs) {
            const Passed& frame = frames[disc.frame];
            inputs[disc.frame].leftOut.push_back(
                disc.isAtBody ? stack::LeftOutDisc{frame.body, frame.reach(kFitFwhm)} : disc.disc);
            passing.leftOut.insert(disc.star);
        }
        passing.framesLeft = left;
        passing.problem.clear();
        break;
    }
    return passing;
}

} // namespace pathmark::night
