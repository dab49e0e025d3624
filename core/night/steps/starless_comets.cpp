#include "core/night/steps/starless_comets.h"

#include "core/base/atomic_file.h"
#include "core/base/hash.h"
#include "core/frame/fits_file.h"
#include "core/frame/open_frame.h"
#include "core/night/recorded_frames.h"
#include "core/night/steps/step.h"
#include "core/stack/coma_extent.h"
#include "core/stack/still_sky.h"

#include <algorithm>
#include <cmath>

namespace pathmark::night {
namespace {

namespace fs = std::filesystem;

constexpr int kAround = 600; ///< pixels about a comet's way: its stack, and sky beside its coma
constexpr double kUsualFwhm = 3.0;

std::vector<const LightRecord*> lightsOf(const NightRun& run, const SeriesId& series) {
    std::vector<const LightRecord*> lights;
    for (const LightRecord& light : run.lights) {
        if (light.solved() && light.series == series) {
            lights.push_back(&light);
        }
    }
    return lights;
}

/// Where a comet is in each of the lights.
Result<std::vector<SkyPos>> placesOf(const NightRun& run,
                                     const std::vector<const LightRecord*>& lights,
                                     const orbit::Elements& comet,
                                     const BeyondOrbit* beyond) {
    const auto [first, last] =
        std::minmax_element(lights.begin(), lights.end(), [](const auto* a, const auto* b) {
            return a->middle < b->middle;
        });
    auto motion = orbit::Ephemeris::make(comet, run.sky.planets, (*first)->middle, (*last)->middle);
    if (!motion) {
        return fail(motion.error());
    }
    std::vector<SkyPos> places;
    for (const LightRecord* light : lights) {
        auto observer = run.observerAt(light->middle);
        if (!observer) {
            return fail(observer.error());
        }
        const SkyPos there = motion->directionFrom(*observer);
        places.push_back(beyond != nullptr ? beyond->from(there, light->middle) : there);
    }
    return places;
}

/// The part of a frame about a pixel of it, in a file of its own.
Result<stack::FramePixels>
cutOut(stack::StackFrame& frame, frame::PixelPos about, int half, const fs::path& path) {
    auto loaded = frame::readFrame(frame.path);
    if (!loaded) {
        return fail(loaded.error());
    }
    const frame::Image& whole = loaded->image;
    const auto from = [&](double middle) {
        return std::max(0, static_cast<int>(std::floor(middle)) - half);
    };
    const auto to = [&](double middle, int length) {
        return std::min(length, static_cast<int>(std::ceil(middle)) + half);
    };
    const int x0 = from(about.x);
    const int y0 = from(about.y);
    const int x1 = to(about.x, whole.width());
    const int y1 = to(about.y, whole.height());
    const frame::Image part = whole.part(x0, y0, x1 - x0, y1 - y0);
    frame.path = path;
    frame.place.wcs.referencePixel.x -= x0;
    frame.place.wcs.referencePixel.y -= y0;
    if (auto written = frame::writeFits(path, part, {}); !written) {
        return fail(written.error());
    }
    return stack::FramePixels{part.width(), part.height()};
}

/// The longest way between any place and the one in the middle of them.
Angle wayOf(const std::vector<SkyPos>& places) {
    double longest = 0.0;
    for (const SkyPos& place : places) {
        longest = std::max(longest, separation(place, places[places.size() / 2]).radians());
    }
    return Angle::radians(longest);
}

/// Cuts of a series about a comet, and what it takes to tell its stars by.
struct Cuts {
    std::vector<stack::StackFrame> frames;
    std::vector<stack::FramePixels> sizes;
    std::vector<SkyPos> targets;
    std::vector<FrameId> ids;
};

/// The cut of a light, its coma protected.
Result<stack::FramePixels> cutOf(const LightRecord& light,
                                 frame::PixelPos about,
                                 int half,
                                 const SkyPos& comet,
                                 const fs::path& folder,
                                 stack::StackFrame& frame) {
    if (light.saturationElectrons > 0.0) {
        frame.saturation = light.saturationElectrons;
    }
    frame.isDiffuse = true;
    auto size = cutOut(frame, about, half, folder / (light.frame.text() + ".fits"));
    if (!size) {
        return size;
    }
    const auto nucleus = frame.place.wcs.toPixel(comet);
    const double fwhm = light.fwhmPixels > 0.0 ? light.fwhmPixels : kUsualFwhm;
    if (auto done = stack::protectComa(frame, nucleus.value_or(about), fwhm); !done) {
        return fail(done.error());
    }
    return size;
}

/// Of the lights that show the comet.
Result<Cuts> cutsOf(const std::vector<const LightRecord*>& lights,
                    const std::vector<SkyPos>& places,
                    const fs::path& folder) {
    const auto all = recordedFrames(lights);
    const double way = wayOf(places).arcsec();
    Cuts cuts;
    for (std::size_t i = 0; i < lights.size(); ++i) {
        const LightRecord& light = *lights[i];
        const auto about = all[i].place.wcs.toPixel(places[i]);
        if (!about || about->x < 0.0 || about->y < 0.0 || about->x >= light.width ||
            about->y >= light.height) {
            continue;
        }
        const int half = kAround + static_cast<int>(std::ceil(way / light.wcs->scaleArcsec()));
        stack::StackFrame frame = all[i];
        const auto size = cutOf(light, *about, half, places[i], folder, frame);
        if (!size) {
            return fail(size.error());
        }
        cuts.frames.push_back(std::move(frame));
        cuts.sizes.push_back(*size);
        cuts.targets.push_back(places[i]);
        cuts.ids.push_back(light.frame);
    }
    return cuts;
}

} // namespace

StarlessComets::StarlessComets(NightRun& run)
    : run_(run), folder_(run.calibration.out / ".starless") {}

std::string StarlessComets::seriesDigest(const LightRecord& light) const {
    Digest digest;
    for (const LightRecord* other : lightsOf(run_, light.series)) {
        digest.add(other->keys.calibrated);
        digest.add(other->keys.sources);
        digest.add(other->keys.solution);
        digest.add(other->keys.zeroPoint);
    }
    return digest.hex();
}

Result<StarlessComets::Series> StarlessComets::make(const orbit::Elements& comet,
                                                    const BeyondOrbit* beyond,
                                                    const SeriesId& series) const {
    const auto lights = lightsOf(run_, series);
    const auto places = placesOf(run_, lights, comet, beyond);
    if (!places) {
        return fail(places.error());
    }
    // Other comets and series have files of the same names.
    const fs::path own = folder_.path() / std::to_string(made_.size());
    if (auto ready = makeFolder(own); !ready) {
        return fail(ready.error());
    }
    auto cuts = cutsOf(lights, *places, own);
    if (!cuts) {
        return fail(cuts.error());
    }
    Series result;
    auto taken =
        stack::takeOutStillSky({cuts->frames, cuts->sizes, cuts->targets}, own, run_.job());
    if (!taken) {
        if (taken.error().id != ErrorId::StackNoFrames) {
            return fail(taken.error());
        }
        result.problem = taken.error().detail;
        return result;
    }
    for (std::size_t i = 0; i < cuts->ids.size(); ++i) {
        if (taken->mismatch[i] >= 0.0) {
            result.frames.emplace(cuts->ids[i], std::move(taken->frames[i]));
        }
    }
    return result;
}

Result<std::string> StarlessComets::takeStarsOut(const orbit::Elements& comet,
                                                 const BeyondOrbit* beyond,
                                                 const StarStack& stars,
                                                 std::vector<stack::StackFrame>& inputs) {
    const std::pair key(BodyId::of(comet.name), run_.lights[stars.lights.front()].series);
    auto found = made_.find(key);
    if (found == made_.end()) {
        auto made = make(comet, beyond, key.second);
        if (!made) {
            return fail(made.error());
        }
        found = made_.emplace(key, std::move(*made)).first;
    }
    const Series& series = found->second;
    if (!series.problem.empty()) {
        return series.problem;
    }
    std::vector<stack::StackFrame> starless;
    for (std::size_t i = 0; i < inputs.size(); ++i) {
        const auto frame = series.frames.find(run_.lights[stars.lights[i]].frame);
        if (frame == series.frames.end()) {
            return run_.lights[stars.lights[i]].raw.filename().string() +
                   " shows too few stars to take them out by.";
        }
        stack::StackFrame one = frame->second;
        one.place.shift = inputs[i].place.shift;
        one.middle = inputs[i].middle;
        one.fluxScale = inputs[i].fluxScale;
        starless.push_back(std::move(one));
    }
    inputs = std::move(starless);
    return std::string();
}

} // namespace pathmark::night
