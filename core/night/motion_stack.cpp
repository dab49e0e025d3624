#include "core/night/motion_stack.h"

#include "core/detect/detect.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace pathmark::night {
namespace {

double meanBeta(std::span<const StackLight> lights) {
    double sum = 0.0;
    for (const auto& light : lights) {
        sum += light.beta;
    }
    return sum / static_cast<double>(lights.size());
}

/// Of the stars on a stack of stars; on a body the stars of its frames, at their best.
double fwhmArcsec(const stack::Stack& made, const stack::Layer& layer, bool moves) {
    if (!moves) {
        detect::DetectOptions options;
        options.looksAgain = false;
        if (const auto detection = detect::detectSources(made.image, options)) {
            return detection->fwhm * layer.grid.wcs.scaleArcsec();
        }
    }
    double squares = 0.0;
    double weights = 0.0;
    for (const auto& frame : layer.frames) {
        squares += weightOf(frame) * frame.fwhm * frame.fwhm;
        weights += weightOf(frame);
    }
    return std::sqrt(squares / weights);
}

/// The magnitude of a star of 5 sigma: a matched filter sees the noise of 4 pi sigma^2 pixels.
///
/// Source   King 1983, PASP 95, 163.
double limitOf(const stack::Stack& made, double fwhmPixels, double zeroPoint, double exposure) {
    const double sigma = fwhmPixels / (2.0 * std::sqrt(2.0 * std::numbers::ln2));
    const double flux = 5.0 * made.noise * 2.0 * std::sqrt(std::numbers::pi) * sigma;
    return zeroPoint - 2.5 * std::log10(flux / exposure);
}

/// What the solutions of its frames bring into a place on a stack, in pixels of it: their errors are of their own stars, so that the
/// mean's is less; a lean towards a colour is that of all.
double placeErrorOf(const stack::Layer& layer, std::span<const StackLight> lights) {
    double largest = 0.0;
    double lean = 0.0;
    for (const std::size_t i : layer.members) {
        const double scale = lights[i].scaleArcsec() / layer.grid.wcs.scaleArcsec();
        largest = std::max(largest, scale * lights[i].solutionErrorPixels);
        lean = std::max(lean, scale * lights[i].leanErrorPixels);
    }
    const double resampling = stack::kResamplingError *
                              lights[layer.members.front()].scaleArcsec() /
                              layer.grid.wcs.scaleArcsec();
    return std::hypot(
        largest / std::sqrt(static_cast<double>(layer.members.size())), lean, resampling);
}

/// What of the title is known before the frames are added.
stack::StackTitle titleOf(const stack::Layer& layer, const StackSubject& subject) {
    const StackLight& reference = subject.lights.front();
    stack::StackTitle title;
    title.object = subject.object;
    title.exposureSeconds = reference.info.exposureSeconds;
    title.filter = reference.info.filter;
    title.band = reference.band;
    for (const std::size_t i : layer.members) {
        title.added.push_back(subject.lights[i].info.path.filename().string());
    }
    if (reference.zeroPoint) {
        title.zeroPoint = *reference.zeroPoint + 2.5 * std::log10(reference.electronsPerUnit);
    }
    title.beta = meanBeta(subject.lights);
    title.placeErrorPixels = placeErrorOf(layer, subject.lights);
    return title;
}

} // namespace

std::vector<stack::FramePixels> sizesOf(std::span<const StackLight> lights) {
    std::vector<stack::FramePixels> sizes;
    for (const auto& light : lights) {
        sizes.push_back({light.info.width, light.info.height});
    }
    return sizes;
}

SkyPos middleOf(std::span<const StackLight> lights) {
    Vec3 sum{};
    for (const auto& light : lights) {
        const frame::PixelPos middle{0.5 * (light.info.width - 1), 0.5 * (light.info.height - 1)};
        sum = sum + light.place.wcs.toSky(middle).vector();
    }
    return SkyPos::fromVector(sum);
}

Result<MotionStack> makeMotionStack(const stack::Layer& layer,
                                    const StackSubject& subject,
                                    const stack::StackOptions& options,
                                    const Job& job) {
    auto made = stack::stackFrames(layer.frames, layer.grid, options, job);
    if (!made) {
        return fail(made.error());
    }
    const StackLight& reference = subject.lights.front();
    stack::StackTitle title = titleOf(layer, subject);
    MotionStack result;
    result.fwhmArcsec = fwhmArcsec(*made, layer, subject.moves);
    title.fwhmPixels = result.fwhmArcsec / layer.grid.wcs.scaleArcsec();
    if (subject.moves && result.fwhmArcsec > 0.0) {
        const double own = result.fwhmArcsec / reference.scaleArcsec();
        title.fwhmPixels /= std::sqrt(
            stack::peakFactor(options.resampling.kernel, detect::Moffat::round(own, title.beta)));
        const auto later = subject.at(layer.middle.plusSeconds(60.0));
        if (!later) {
            return fail(later.error());
        }
        const PlanePos way = toTangentPlane(layer.target, *later);
        title.rateArcsecPerMin = std::hypot(way.xi, way.eta) / kRadiansPerArcsec;
        title.angleDegrees = normalised(Angle::radians(std::atan2(way.xi, way.eta))).degrees();
    }
    result.header = headerOf(layer.frames, *made, options, layer.grid.wcs, title);
    for (const std::size_t i : layer.members) {
        result.exposureSeconds += subject.lights[i].info.exposureSeconds;
    }
    result.zeroPoint = title.zeroPoint;
    if (title.zeroPoint && title.exposureSeconds > 0.0 && result.fwhmArcsec > 0.0) {
        result.limitingMagnitude = limitOf(*made,
                                           result.fwhmArcsec / layer.grid.wcs.scaleArcsec(),
                                           *title.zeroPoint,
                                           title.exposureSeconds);
    }
    result.stack = std::move(*made);
    return result;
}

} // namespace pathmark::night
