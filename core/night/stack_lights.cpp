#include "core/night/stack_lights.h"

#include "core/base/point_grid.h"
#include "core/base/robust.h"
#include "core/calibrate/ceiling.h"
#include "core/detect/detect.h"
#include "core/frame/cell_lean.h"

#include <algorithm>
#include <cmath>

namespace pathmark::night {
namespace {

constexpr std::size_t kMostStars = 400;
constexpr double kLeastLightSnr = 15.0;
constexpr std::size_t kLeastCommon = 3; ///< stars by which two lights are compared

void learnStars(const frame::LoadedFrame& frame, StackLight& light) {
    detect::DetectOptions options;
    options.looksAgain = false;
    if (const auto ceiling = calibrate::saturationOf(frame.image, frame.header, light.info)) {
        options.saturation = *ceiling;
        light.saturation = *ceiling;
    }
    const auto detection = detect::detectSources(frame.image, options);
    if (!detection) {
        const detect::Background sky(frame.image);
        light.noise = sky.typicalNoise();
        return;
    }
    light.noise = detection->sky.typicalNoise();
    light.fwhmPixels = detection->fwhm;
    light.beta = detection->spread.middle().shape().beta;
    for (const detect::Source& source : detection->sources) {
        if (light.stars.size() == kMostStars) {
            break;
        }
        if (source.snr > kLeastLightSnr && source.flags == 0) {
            light.stars.push_back(
                {light.place.wcs.toSky({source.x, source.y}), source.flux, source.fluxError});
        }
    }
}

struct FluxAt {
    double x = 0.0; ///< arcsec
    double y = 0.0;
    double flux = 0.0;
};

std::vector<FluxAt> onPlane(const StackLight& light, const SkyPos& centre) {
    std::vector<FluxAt> points;
    for (const LightStar& star : light.stars) {
        const PlanePos plane = toTangentPlane(centre, star.sky);
        if (std::isfinite(plane.xi)) {
            points.push_back(
                {plane.xi / kRadiansPerArcsec, plane.eta / kRadiansPerArcsec, star.flux});
        }
    }
    return points;
}

/// How many times as bright the stars of `reference` are as those of `light`; absent where they have too few in common.
std::optional<double> byCommonStars(const StackLight& reference, const StackLight& light) {
    if (reference.stars.empty() || light.stars.empty()) {
        return std::nullopt;
    }
    const SkyPos centre = reference.stars.front().sky;
    const auto ours = onPlane(reference, centre);
    const auto theirs = onPlane(light, centre);
    const double reach = 1.5 * std::max(reference.scaleArcsec(), light.scaleArcsec());
    double left = ours.front().x;
    double right = left;
    double bottom = ours.front().y;
    double top = bottom;
    for (const FluxAt& p : ours) {
        left = std::min(left, p.x);
        right = std::max(right, p.x);
        bottom = std::min(bottom, p.y);
        top = std::max(top, p.y);
    }
    const double cell = std::max({reach, (right - left) / 500.0, (top - bottom) / 500.0});
    const PointGrid grid(ours, cell, left, bottom, right, top);
    std::vector<double> ratios;
    for (const FluxAt& p : theirs) {
        double nearest = reach * reach;
        const FluxAt* match = nullptr;
        grid.forNear(p.x, p.y, reach, [&](std::size_t i, double squared) {
            if (squared <= nearest) {
                nearest = squared;
                match = &ours[i];
            }
        });
        if (match != nullptr) {
            ratios.push_back(match->flux / p.flux);
        }
    }
    if (ratios.size() < kLeastCommon) {
        return std::nullopt;
    }
    return medianInPlace(std::span(ratios));
}

/// What brings the values of a light, in its own units, to those of the reference.
double scaleTo(const StackLight& reference, const StackLight& light) {
    if (&reference == &light) {
        return 1.0;
    }
    const double ours = reference.info.exposureSeconds;
    const double theirs = light.info.exposureSeconds;
    const double byTime = ours > 0.0 && theirs > 0.0 ? ours / theirs : 1.0;
    if (reference.zeroPoint && light.zeroPoint && reference.band == light.band) {
        return byTime * std::pow(10.0, 0.4 * (*reference.zeroPoint - *light.zeroPoint));
    }
    return byCommonStars(reference, light)
        .value_or(byTime * light.electronsPerUnit / reference.electronsPerUnit);
}

} // namespace

Result<StackLight> readStackLight(const std::filesystem::path& file,
                                  const std::filesystem::path& wcsFolder,
                                  const frame::ReadingRules& rules) {
    auto solved = readSolvedLight(file, wcsFolder, rules);
    if (!solved) {
        return fail(solved.error());
    }
    StackLight light;
    light.info = std::move(solved->info);
    light.place.wcs = std::move(solved->wcs);
    light.middle = solved->middle;
    light.electronsPerUnit = solved->electronsPerUnit;
    const frame::Header& header = solved->loaded.header;
    light.solutionErrorPixels = header.number(frame::kSolutionErrorKeyword).value_or(0.0);
    light.leanErrorPixels = frame::leanError(header);
    if (const auto stated = zeroPointOf(header)) {
        light.zeroPoint = stated->value;
        light.band = stated->band;
    }
    learnStars(solved->loaded, light);
    return light;
}

std::vector<stack::StackFrame> stackFramesOf(std::span<const StackLight> lights,
                                             std::size_t reference) {
    // Where one frame's stars could not be measured, seeing weighs none.
    const bool haveWidths = std::all_of(
        lights.begin(), lights.end(), [](const StackLight& l) { return l.fwhmPixels > 0.0; });
    std::vector<stack::StackFrame> frames;
    for (const StackLight& light : lights) {
        stack::StackFrame frame;
        frame.path = light.info.path;
        frame.place = light.place;
        frame.middle = light.middle;
        frame.noise = light.noise;
        frame.saturation = light.saturation;
        frame.fwhm = haveWidths ? light.fwhmPixels * light.scaleArcsec() : 0.0;
        frame.fluxScale = lights[reference].electronsPerUnit * scaleTo(lights[reference], light);
        frames.push_back(std::move(frame));
    }
    return frames;
}

} // namespace pathmark::night
