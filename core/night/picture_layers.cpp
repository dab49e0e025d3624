#include "core/night/picture_layers.h"

#include "core/base/atomic_file.h"
#include "core/base/parallel.h"
#include "core/night/motion_stack.h"
#include "core/night/work_folder.h"
#include "core/stack/coma_extent.h"
#include "core/stack/still_sky.h"

#include <algorithm>
#include <cmath>
#include <string>

namespace pathmark::night {
namespace {

namespace fs = std::filesystem;

constexpr double kTellingWidths = 2.0; ///< of a star, that still_sky.h wants a target to move by
constexpr double kLittleMotion = 0.1;  ///< of a frame's shorter side
constexpr int kGapReach = 60;          ///< pixels that saturated stars leave in a comet's layer

} // namespace

/// What all frames show as they lie on the comet, too, where it moves by little: the edges of its layer would be of few frames.
Result<bool> LayerMaker::addMoved(const std::vector<StackLight>& lights,
                                  std::vector<stack::FrameOutline>& outlines) const {
    std::vector<stack::FrameOutline> moved;
    for (const StackLight& light : lights) {
        const auto target = wishes_.target(light.middle);
        if (!target) {
            return fail(target.error());
        }
        stack::FramePlace place = light.place;
        place.shift = toTangentPlane(origin_, *target);
        const double field =
            std::min(light.info.width, light.info.height) * light.scaleArcsec() * kRadiansPerArcsec;
        if (std::hypot(place.shift.xi, place.shift.eta) > kLittleMotion * field) {
            return true;
        }
        moved.push_back({place, light.info.width, light.info.height});
    }
    outlines.insert(outlines.end(), moved.begin(), moved.end());
    return true;
}

Result<bool> LayerMaker::layOut() {
    std::vector<stack::FrameOutline> outlines;
    const std::vector<StackLight> all = allLights(channels_);
    if (all.empty()) {
        return fail(ErrorId::PictureNoLayer, "There is no solved frame for a picture.");
    }
    double seconds = 0.0;
    for (const auto& light : all) {
        outlines.push_back({light.place, light.info.width, light.info.height});
        seconds += light.middle.secondsSince(all.front().middle) / static_cast<double>(all.size());
    }
    time_ = all.front().middle.plusSeconds(seconds);
    origin_ = middleOf(all);
    if (wishes_.target) {
        const auto target = wishes_.target(time_);
        if (!target) {
            return fail(target.error());
        }
        origin_ = *target;
    }
    if (wishes_.target && wishes_.canvas.extent == stack::CanvasExtent::Common) {
        if (auto added = addMoved(all, outlines); !added) {
            return added;
        }
    }
    auto grid = stack::canvasFor(outlines, origin_, wishes_.canvas);
    if (!grid) {
        return fail(grid.error());
    }
    grid_ = std::move(*grid);
    return true;
}

/// The frames as they stand on the stars, with the coma protected; `targets` of each, where there is a comet.
Result<std::vector<stack::StackFrame>> LayerMaker::framesOf(const PictureChannel& channel,
                                                            std::vector<SkyPos>& targets) const {
    auto frames = stackFramesOf(channel.lights, 0);
    for (std::size_t i = 0; i < frames.size() && hasComet(); ++i) {
        const auto target = wishes_.target(frames[i].middle);
        if (!target) {
            return fail(target.error());
        }
        targets.push_back(*target);
        frames[i].isDiffuse = true;
        const auto pixel = frames[i].place.wcs.toPixel(*target);
        const double fwhm = channel.lights[i].fwhmPixels > 0.0 ? channel.lights[i].fwhmPixels : 3.0;
        if (pixel) {
            if (auto done = stack::protectComa(frames[i], *pixel, fwhm); !done) {
                return fail(done.error());
            }
        }
    }
    return frames;
}

Result<stack::Stack> LayerMaker::cometStack(std::vector<stack::StackFrame> frames,
                                            const std::vector<SkyPos>& targets) const {
    for (std::size_t i = 0; i < frames.size(); ++i) {
        frames[i].place.shift = toTangentPlane(origin_, targets[i]);
    }
    return stack::stackFrames(frames, grid_, {}, job_);
}

/// Whether a comet can be told from stars by its moving.
bool LayerMaker::moves(const PictureChannel& channel, const std::vector<SkyPos>& targets) const {
    double farthest = 0.0;
    double width = 0.0;
    for (std::size_t i = 0; i < targets.size(); ++i) {
        const StackLight& light = channel.lights[i];
        farthest = std::max(farthest, separation(targets.front(), targets[i]).arcsec());
        width = std::max(width, light.scaleArcsec() * std::max(light.fwhmPixels, 1.0));
    }
    return farthest > kTellingWidths * width;
}

/// What was taken off as sky in cells of the canvas, and where the comet's light was taken to be.
void LayerMaker::drawSky(const std::vector<stack::StackFrame>& frames,
                         const PictureChannel& channel,
                         const stack::SmoothSkies& skies,
                         ChannelLayers& layers) const {
    const int columns = (grid_.width + kSkyCell - 1) / kSkyCell;
    const int rows = (grid_.height + kSkyCell - 1) / kSkyCell;
    layers.sky = frame::Image(columns, rows, frame::kNoValue);
    layers.extent = frame::Image(columns, rows);
    parallelFor(static_cast<std::size_t>(rows), [&](std::size_t row) {
        const int y = static_cast<int>(row);
        for (int x = 0; x < columns; ++x) {
            const SkyPos place =
                grid_.wcs.toSky({kSkyCell * (x + 0.5) - 0.5, kSkyCell * (y + 0.5) - 0.5});
            double sum = 0.0;
            int count = 0;
            for (std::size_t i = 0; i < frames.size(); ++i) {
                const auto at = frames[i].place.wcs.toPixel(place);
                const auto& info = channel.lights[i].info;
                if (at && at->x >= 0.0 && at->y >= 0.0 && at->x < info.width &&
                    at->y < info.height) {
                    sum += frames[i].fluxScale * skies.surfaces[i]->at(at->x, at->y);
                    ++count;
                }
            }
            layers.sky.at(x, y) = count > 0 ? static_cast<float>(sum / count) : frame::kNoValue;
            layers.extent.at(x, y) =
                skies.extent.holds(toTangentPlane(origin_, place)) ? 1.0F : 0.0F;
        }
    });
}

Result<ChannelLayers> LayerMaker::starsAlone(const PictureChannel& channel,
                                             std::vector<stack::StackFrame> frames) const {
    ChannelLayers layers;
    // Else of a mesh: there is too little sky for more.
    if (const auto skies = stack::smoothSkies(frames, {}, wishes_.sky, job_)) {
        for (std::size_t i = 0; i < frames.size(); ++i) {
            frames[i].sky = skies->surfaces[i];
        }
        drawSky(frames, channel, *skies, layers);
    }
    auto stars = stack::stackFrames(frames, grid_, {}, job_);
    if (!stars) {
        return fail(stars.error());
    }
    layers.noise = stars->noise;
    layers.lightVariance = stars->lightVariance;
    layers.light = std::move(stars->image);
    picture::fillGaps(layers.light, kGapReach);
    return layers;
}

Result<ChannelLayers> LayerMaker::make(const PictureChannel& channel) const {
    std::vector<SkyPos> targets;
    auto frames = framesOf(channel, targets);
    if (!frames) {
        return fail(frames.error());
    }
    if (!hasComet() || (wishes_.layers == PictureLayers::Both && !moves(channel, targets))) {
        return starsAlone(channel, std::move(*frames)); // one that stands still is as sharp in them
    }
    const auto sizes = sizesOf(channel.lights);
    const WorkFolder work(folder_ /
                          ("channel-" + std::to_string(&channel - channels_.channels.data())));
    if (auto made = makeFolder(work.path()); !made) {
        return fail(made.error());
    }
    auto taken =
        stack::takeOutStillSky({*frames, sizes, targets, grid_, wishes_.sky}, work.path(), job_);
    if (!taken) {
        return fail(taken.error());
    }
    auto comet = cometStack(taken->frames, targets);
    if (!comet) {
        return fail(comet.error());
    }
    ChannelLayers layers;
    layers.noise = comet->noise;
    layers.lightVariance = comet->lightVariance;
    layers.light = std::move(comet->image);
    layers.starStack = std::move(taken->stars.image);
    picture::fillGaps(layers.light, kGapReach);
    picture::fillGaps(layers.starStack, kGapReach);
    if (taken->skies) {
        drawSky(*frames, channel, *taken->skies, layers);
    }
    if (wishes_.layers == PictureLayers::Both) {
        // What was taken out of the frames, and not the noise of the stack that it was found in.
        layers.stars = std::move(taken->model);
        picture::fillGaps(layers.stars, kGapReach);
        for (std::size_t k = 0; k < layers.light.pixels().size(); ++k) {
            layers.light.pixels()[k] += layers.stars.pixels()[k];
        }
    }
    return layers;
}

} // namespace pathmark::night
