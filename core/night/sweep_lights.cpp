#include "core/night/sweep_lights.h"

#include "core/calibrate/particle_hits.h"
#include "core/detect/background.h"
#include "core/frame/fits_file.h"
#include "core/frame/open_frame.h"
#include "core/night/measure_file.h"
#include "core/night/motion_stack.h"
#include "core/night/sensor_pattern.h"
#include "core/sweep/standing_light.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace pathmark::night {
namespace {

namespace fs = std::filesystem;

constexpr double kBrightLight = 1.5;  ///< sigma of a pixel of sky, above which a star is bright
constexpr double kBorderWidths = 2.0; ///< FWHM at a frame's edge that see nothing
constexpr double kStarPixels = 2.27;  ///< FWHM^2 that a star's light covers: 4 pi sigma^2

double widthOf(const StackLight& light) {
    return light.fwhmPixels > 0.0 ? light.fwhmPixels : kUsualStarPixels;
}

/// The light that was taken out of a frame, in its own units.
Result<frame::Image>
takenLight(const stack::WithoutStillSky& taken, std::size_t i, int width, int height) {
    stack::ImageSource stars(taken.stars.image);
    auto light = stack::resample(
        stars, stack::toGrid(taken.frames[i].place, taken.grid), {0, 0, width, height}, {});
    if (!light) {
        return light;
    }
    const auto scale = static_cast<float>(1.0 / taken.frames[i].fluxScale);
    for (float& v : light->pixels()) {
        v = std::isfinite(v) ? std::max(0.0F, scale * v) : 0.0F;
    }
    return light;
}

void blankBorder(int border, frame::Image& image) {
    for (int y = 0; y < image.height(); ++y) {
        const bool isOutside = y < border || y >= image.height() - border;
        auto row = image.row(y);
        for (int x = 0; x < image.width(); ++x) {
            if (isOutside || x < border || x >= image.width() - border) {
                row[static_cast<std::size_t>(x)] = frame::kNoValue;
            }
        }
    }
}

/// A frame's pixels without particle hits; what the kernel misses of a star it misses in all its pixels alike, so that it counts as
/// often as a star has pixels.
Result<sweep::FramePixels>
pixelsOf(const stack::WithoutStillSky& taken, std::size_t i, const StackLight& source) {
    auto loaded = frame::readFrame(taken.frames[i].path);
    if (!loaded) {
        return fail(loaded.error());
    }
    auto light = takenLight(taken, i, loaded->image.width(), loaded->image.height());
    if (!light) {
        return fail(light.error());
    }
    // What the sky of a frame and that of the stack do not agree on, and where neither is sure.
    loaded->image = detect::Background(loaded->image).subtractFrom(loaded->image);
    const double width = widthOf(source);
    blankBorder(static_cast<int>(std::ceil(kBorderWidths * width)), loaded->image);
    const double starPixels = std::max(1.0, kStarPixels * width * width);
    // Where nothing could be taken out, stars are no sky either.
    const auto missed = static_cast<float>(std::sqrt(starPixels) *
                                           (taken.mismatch[i] < 0.0 ? 1.0 : taken.mismatch[i]));
    // Of a bright star it is missed alike in all frames of one seeing: their sum must not take that for light.
    const auto alike =
        static_cast<float>(std::sqrt(0.5 * static_cast<double>(taken.frames.size())) - 1.0);
    const auto bright = static_cast<float>(kBrightLight * taken.frames[i].noise);
    calibrate::HitOptions hits;
    hits.fwhmPixels = width;
    hits.gain = source.electronsPerUnit;
    hits.readNoise = taken.frames[i].noise;
    calibrate::maskParticleHits(loaded->image, hits);
    const auto sky = static_cast<float>(taken.frames[i].noise * taken.frames[i].noise);
    const auto perLight = static_cast<float>(1.0 / source.electronsPerUnit);
    for (float& v : light->pixels()) {
        const float wrong = missed * (v + alike * std::max(0.0F, v - bright));
        v = sky + perLight * v + wrong * wrong;
    }
    return sweep::FramePixels{std::move(loaded->image), std::move(*light)};
}

/// The candidates' own light, which shall not become sky.
void leaveOut(std::span<const sweep::Candidate> candidates,
              std::span<const StackLight> lights,
              std::vector<stack::StackFrame>& frames) {
    const double span = lights.back().middle.secondsSince(lights.front().middle);
    for (std::size_t i = 0; i < frames.size(); ++i) {
        const double pixel = lights[i].scaleArcsec();
        for (const auto& candidate : candidates) {
            const double way = candidate.rateArcsecPerMin * span / 60.0 / pixel;
            const double trail =
                candidate.rateArcsecPerMin * lights[i].info.exposureSeconds / 60.0 / pixel;
            const double own = stack::ownLightRadius(way, widthOf(lights[i]));
            if (const auto place = frames[i].place.wcs.toPixel(candidate.at(lights[i].middle))) {
                frames[i].leftOut.push_back({*place, own + 0.5 * trail});
            }
        }
    }
}

/// Stacks and measures one candidate.
class CandidateStacks {
  public:
    CandidateStacks(std::span<const StackLight> lights,
                    std::span<const stack::StackFrame> frames,
                    const CandidateStackFiles& files,
                    const Job& job)
        : lights_(lights), frames_(frames), files_(files), job_(job) {}

    Result<std::vector<CandidateMeasurement>>
    measure(const sweep::Candidate& candidate, std::size_t number, int groups) const {
        const auto at = [&](const Utc& time) -> Result<SkyPos> { return candidate.at(time); };
        const auto sizes = sizesOf(lights_);
        stack::CanvasChoice canvas;
        canvas.extent = stack::CanvasExtent::Body;
        const auto layers = stack::layersOf({frames_, sizes, at}, groups, canvas);
        if (!layers) {
            return fail(layers.error());
        }
        std::vector<CandidateMeasurement> measurements;
        for (const auto& layer : *layers) {
            auto made = makeMotionStack(layer, {lights_, "candidate", true, at}, {}, job_);
            if (!made) {
                return fail(made.error());
            }
            const CandidateStackFile place = files_(candidate, number, layer.members);
            made->header.set(frame::kResultKeyword, place.key);
            if (auto written = writeStack(place.path, made->stack, made->header); !written) {
                return fail(written.error());
            }
            const auto file = MeasurableFile::open(place.path, {}, {}, nullptr);
            if (!file) {
                return fail(file.error());
            }
            measure::Target target;
            target.predicted = layer.target;
            target.searchArcsec = 1.5 * made->fwhmArcsec;
            if (const auto measured = file->measureBody(target)) {
                measurements.push_back({layer.middle,
                                        layer.members,
                                        place.path,
                                        file->fwhmArcsec() / file->wcs().scaleArcsec(),
                                        *measured});
            }
        }
        return measurements;
    }

  private:
    std::span<const StackLight> lights_;
    std::span<const stack::StackFrame> frames_;
    const CandidateStackFiles& files_;
    const Job& job_;
};

} // namespace

std::vector<SweepView> sweepViews(std::span<const StackLight> lights) {
    std::vector<SweepView> views;
    for (const StackLight& light : lights) {
        views.push_back({{light.place.wcs,
                          light.middle,
                          light.info.exposureSeconds,
                          1.0,
                          widthOf(light),
                          light.beta},
                         light.info.width,
                         light.info.height});
    }
    return views;
}

FieldOfView fieldOfView(const StackLight& light) {
    return {light.place.wcs.toSky({0.5 * (light.info.width - 1), 0.5 * (light.info.height - 1)}),
            Angle::arcsec(std::hypot(light.info.width, light.info.height) * light.scaleArcsec()),
            light.middle};
}

Result<SweepLights>
SweepLights::prepare(std::span<const StackLight> lights, const fs::path& folder, const Job& job) {
    if (auto checked = checkTimes(sweepViews(lights)); !checked) {
        return fail(checked.error());
    }
    SweepLights made(lights, folder);
    made.frames_ = stackFramesOf(lights, 0);
    if (auto done = made.takeOutSky(job); !done) {
        return fail(done.error());
    }
    if (auto done = made.takeOffPattern(job); !done) {
        return fail(done.error());
    }
    return made;
}

Result<bool> SweepLights::takeOutSky(const Job& job) {
    const auto sizes = sizesOf(lights_);
    auto taken = stack::takeOutStillSky({frames_, sizes, {}}, folder_, job);
    if (!taken) {
        return fail(taken.error());
    }
    taken_ = std::move(*taken);
    return true;
}

Result<bool> SweepLights::takeOffPattern(const Job& job) {
    const auto pattern =
        SensorPattern::measure(taken_.frames, sizesOf(lights_), widthOf(lights_[0]), job);
    if (!pattern) {
        return fail(pattern.error());
    }
    if (!pattern->matters(taken_.frames.front().noise)) {
        return true;
    }
    job.message(
        "Something stands on the sensor in all frames (hot pixels, dust): it is taken off.");
    for (std::size_t i = 0; i < frames_.size(); ++i) {
        const auto without = frame::readFrame(taken_.frames[i].path);
        auto with = frame::readFrame(frames_[i].path);
        if (!without || !with) {
            return fail(without ? with.error() : without.error());
        }
        pattern->takeOff(with->image, pattern->strengthIn(without->image));
        frames_[i].path = folder_ / fmt::format("sensor_{:04}.fits", i);
        if (auto written = frame::writeFits(frames_[i].path, with->image, {}); !written) {
            return written;
        }
    }
    return takeOutSky(job);
}

Result<sweep::FramePixels> SweepLights::pixels(std::size_t i) const {
    return pixelsOf(taken_, i, lights_[i]);
}

Result<sweep::LightMaps> SweepLights::maps(bool inFiles, const Job& job) const {
    auto views = sweepViews(lights_);
    for (std::size_t i = 0; i < views.size(); ++i) {
        views[i].frame.fluxScale = taken_.frames[i].fluxScale;
    }
    auto maps = emptyMaps(views);
    if (!maps) {
        return maps;
    }
    if (inFiles) {
        maps->keepIn(folder_);
    }
    for (std::size_t i = 0; i < lights_.size(); ++i) {
        if (job.stop.stop_requested()) {
            return fail(ErrorId::BaseCancelled, "Stopped.");
        }
        job.progress("Filtering frames", static_cast<int>(i), static_cast<int>(lights_.size()));
        const auto pixels = this->pixels(i);
        if (!pixels) {
            return fail(pixels.error());
        }
        maps->take(i, *pixels);
    }
    maps->finish();
    const double standing = sweep::leaveOutStanding(*maps);
    if (standing > 0.0) {
        job.message(
            fmt::format("Of the field {:.2g} % is left out for some of the frames: what stands "
                        "there beside bright stars is no sky.",
                        100.0 * standing));
    }
    return maps;
}

Result<std::vector<std::vector<CandidateMeasurement>>>
SweepLights::measure(std::span<const sweep::Candidate> candidates,
                     int groups,
                     const CandidateStackFiles& files,
                     const Job& job) const {
    std::vector<std::vector<CandidateMeasurement>> all;
    if (candidates.empty()) {
        return all;
    }
    auto frames = frames_;
    leaveOut(candidates, lights_, frames);
    const auto sizes = sizesOf(lights_);
    auto taken = stack::takeOutStillSky({frames, sizes, {}}, folder_, job);
    if (!taken) {
        return fail(taken.error());
    }
    for (auto& frame : taken->frames) {
        frame.leftOut.clear();
    }
    const CandidateStacks stacks(lights_, taken->frames, files, job);
    for (const auto& candidate : candidates) {
        job.progress("Measuring candidates",
                     static_cast<int>(all.size()),
                     static_cast<int>(candidates.size()));
        auto measurements = stacks.measure(candidate, all.size(), groups);
        if (!measurements) {
            return fail(measurements.error());
        }
        all.push_back(std::move(*measurements));
    }
    return all;
}

Result<SweptLights> sweepLights(std::span<const StackLight> lights,
                                const sweep::SweepOptions& options,
                                const sweep::SweepPlan& plan,
                                int groups,
                                const CandidateStackFiles& files,
                                const fs::path& folder,
                                const Job& job) {
    const SweepRoom room = roomFor(sweepViews(lights), plan.bytes);
    if (auto checked = checkRoom(room, folder); !checked) {
        return fail(checked.error());
    }
    const auto ready = SweepLights::prepare(lights, folder, job);
    if (!ready) {
        return fail(ready.error());
    }
    auto maps = ready->maps(room.hasMapsInFiles, job);
    if (!maps) {
        return fail(maps.error());
    }
    SweptLights swept;
    swept.pixels = static_cast<double>(maps->grid().width) * maps->grid().height;
    auto found = sweep::sweepOver(std::move(*maps), options, job);
    if (!found) {
        return fail(found.error());
    }
    swept.found = std::move(*found);
    auto measured = ready->measure(swept.found.candidates, groups, files, job);
    if (!measured) {
        return fail(measured.error());
    }
    swept.measured = std::move(*measured);
    return swept;
}

std::optional<double> magnitudeOf(const StackLight& reference, double electrons) {
    if (!reference.zeroPoint || !(reference.info.exposureSeconds > 0.0)) {
        return std::nullopt;
    }
    return *reference.zeroPoint + 2.5 * std::log10(reference.electronsPerUnit) -
           2.5 * std::log10(electrons / reference.info.exposureSeconds);
}

} // namespace pathmark::night
