#include "core/night/joined_picture.h"

#include "core/base/atomic_file.h"
#include "core/base/robust.h"
#include "core/night/motion_stack.h"
#include "core/night/plane_stars.h"
#include "core/stack/coma_extent.h"
#include "core/stack/still_sky.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>

namespace pathmark::night {
namespace {

namespace fs = std::filesystem;

constexpr std::array kPlaneMiddles{640.0, 545.0, 440.0}; ///< nm of red, green and blue
constexpr int kGapReach = 60; ///< pixels that saturated stars leave in a comet's layer

/// One channel's stars and comet on the canvas.
struct ChannelLayers {
    frame::Image light; ///< both, as far as wanted
    frame::Image stars; ///< for colours; of the whole light where there is no layer of its own
    double noise = 1.0;
};

/// Stacks channels on one canvas.
class Joiner {
  public:
    Joiner(const PictureChannels& channels,
           const JoinedPictureWishes& wishes,
           const fs::path& folder,
           const Job& job)
        : channels_(channels), wishes_(wishes), folder_(folder), job_(job) {}

    Result<bool> layOut();
    Result<ChannelLayers> make(const PictureChannel& channel) const;

    [[nodiscard]] const stack::PixelGrid& grid() const { return grid_; }

    [[nodiscard]] const Utc& time() const { return time_; }

  private:
    [[nodiscard]] bool hasComet() const { return wishes_.layers != PictureLayers::Stars; }

    Result<std::vector<stack::StackFrame>> framesOf(const PictureChannel& channel,
                                                    std::vector<SkyPos>& targets) const;
    Result<stack::Stack> cometStack(std::vector<stack::StackFrame> frames,
                                    const std::vector<SkyPos>& targets) const;

    const PictureChannels& channels_;
    const JoinedPictureWishes& wishes_;
    const fs::path& folder_;
    const Job& job_;
    stack::PixelGrid grid_;
    Utc time_;
    SkyPos origin_; ///< of the comet at that time
};

Result<bool> Joiner::layOut() {
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
    auto grid = stack::canvasFor(outlines, origin_, wishes_.canvas);
    if (!grid) {
        return fail(grid.error());
    }
    grid_ = std::move(*grid);
    return true;
}

/// The frames as they stand on the stars, with the coma protected; `targets` of each, where there is a comet.
Result<std::vector<stack::StackFrame>> Joiner::framesOf(const PictureChannel& channel,
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

Result<stack::Stack> Joiner::cometStack(std::vector<stack::StackFrame> frames,
                                        const std::vector<SkyPos>& targets) const {
    for (std::size_t i = 0; i < frames.size(); ++i) {
        frames[i].place.shift = toTangentPlane(origin_, targets[i]);
    }
    return stack::stackFrames(frames, grid_, {}, job_);
}

Result<ChannelLayers> Joiner::make(const PictureChannel& channel) const {
    std::vector<SkyPos> targets;
    auto frames = framesOf(channel, targets);
    if (!frames) {
        return fail(frames.error());
    }
    ChannelLayers layers;
    if (!hasComet()) {
        if (const auto skies = stack::smoothSkies(*frames, {}, {}, job_)) {
            for (std::size_t i = 0; i < frames->size(); ++i) {
                (*frames)[i].sky = skies->surfaces[i];
            }
        } // else of a mesh: there is too little sky for more
        auto stars = stack::stackFrames(*frames, grid_, {}, job_);
        if (!stars) {
            return fail(stars.error());
        }
        layers.noise = stars->noise;
        layers.light = std::move(stars->image);
        picture::fillGaps(layers.light, kGapReach);
        layers.stars = layers.light;
        return layers;
    }
    const auto sizes = sizesOf(channel.lights);
    const fs::path work =
        folder_ / ("channel-" + std::to_string(&channel - channels_.channels.data()));
    if (auto made = makeFolder(work); !made) {
        return fail(made.error());
    }
    auto taken = stack::takeOutStillSky(
        {*frames, sizes, targets, grid_, stack::SmoothSkyWishes()}, work, job_);
    if (!taken) {
        return fail(taken.error());
    }
    auto comet = cometStack(taken->frames, targets);
    if (!comet) {
        return fail(comet.error());
    }
    picture::fillGaps(comet->image, kGapReach);
    picture::fillGaps(taken->stars.image, kGapReach);
    layers.noise = comet->noise;
    layers.stars = std::move(taken->stars.image);
    layers.light = std::move(comet->image);
    if (wishes_.layers == PictureLayers::Both) {
        // What was taken out of the frames, and not the noise of the stack that it was found in.
        picture::fillGaps(taken->model, kGapReach);
        for (std::size_t k = 0; k < layers.light.pixels().size(); ++k) {
            layers.light.pixels()[k] += taken->model.pixels()[k];
        }
    }
    std::error_code ignored;
    fs::remove_all(work, ignored);
    return layers;
}

/// Which channel becomes which plane; -1: the mean of the others.
struct PlaneChoice {
    std::array<int, 3> channel{-1, -1, -1};
    std::vector<std::size_t> colourless;
    bool isGrey = false;
};

PlaneChoice choosePlanes(const std::vector<PictureChannel>& channels) {
    PlaneChoice choice;
    std::vector<std::size_t> coloured;
    for (std::size_t i = 0; i < channels.size(); ++i) {
        (channels[i].nanometres > 0.0 ? coloured : choice.colourless).push_back(i);
    }
    if (coloured.size() < 2) {
        // A single colour is light like any other.
        choice.isGrey = true;
        choice.colourless.insert(choice.colourless.end(), coloured.begin(), coloured.end());
        return choice;
    }
    choice.channel[2] = static_cast<int>(coloured.front()); // in the order of wavelengths
    choice.channel[0] = static_cast<int>(coloured.back());
    if (coloured.size() == 2) {
        return choice;
    }
    const auto nearest = [&](double wanted, std::size_t first, std::size_t end) {
        std::size_t best = first;
        for (std::size_t k = first; k < end; ++k) {
            if (std::abs(channels[coloured[k]].nanometres - wanted) <
                std::abs(channels[coloured[best]].nanometres - wanted)) {
                best = k;
            }
        }
        return best;
    };
    const std::size_t green = nearest(kPlaneMiddles[1], 1, coloured.size() - 1);
    choice.channel[1] = static_cast<int>(coloured[green]);
    choice.channel[0] =
        static_cast<int>(coloured[nearest(kPlaneMiddles[0], green + 1, coloured.size())]);
    choice.channel[2] = static_cast<int>(coloured[nearest(kPlaneMiddles[2], 0, green)]);
    return choice;
}

frame::Image meanOf(const frame::Image& a, const frame::Image& b) {
    frame::Image mean = a;
    for (std::size_t k = 0; k < mean.pixels().size(); ++k) {
        mean.pixels()[k] = 0.5F * (a.pixels()[k] + b.pixels()[k]);
    }
    return mean;
}

/// Light without a colour, brought to the picture's scale by the stars and averaged into its intensity.
void addLuminance(const ChannelLayers& light,
                  const frame::Image& greenStars,
                  double noise,
                  JoinedPicture& result) {
    picture::ColourPicture& picture = result.linear;
    std::vector<double> ratios;
    for (const auto& star :
         planeStars({&greenStars, &light.stars, &light.stars}, nullptr, result.grid, result.time)) {
        if (star.flux[0] > 0.0 && star.flux[1] > 0.0) {
            ratios.push_back(star.flux[0] / star.flux[1]);
        }
    }
    if (ratios.size() < 3) {
        return;
    }
    const double scale = medianInPlace(std::span(ratios));
    const double variance = scale * scale * light.noise * light.noise;
    const auto share = static_cast<float>(noise * noise / (noise * noise + variance));
    for (std::size_t k = 0; k < light.light.pixels().size(); ++k) {
        const float more =
            share * (static_cast<float>(scale) * light.light.pixels()[k] - picture.intensity(k));
        for (auto& plane : picture.planes) {
            plane.pixels()[k] += more;
        }
    }
}

std::string nameOf(const PictureChannel& channel) {
    return channel.name.empty() ? "no filter" : channel.name;
}

/// A picture of light without colours: channels averaged by their noise.
void fillGrey(const std::vector<ChannelLayers>& layers,
              const PlaneChoice& choice,
              const PictureChannels& channels,
              JoinedPicture& result) {
    frame::Image sum(layers[0].light.width(), layers[0].light.height(), 0.0F);
    double weights = 0.0;
    for (const std::size_t i : choice.colourless) {
        const double weight = 1.0 / (layers[i].noise * layers[i].noise);
        weights += weight;
        for (std::size_t k = 0; k < sum.pixels().size(); ++k) {
            sum.pixels()[k] += static_cast<float>(weight) * layers[i].light.pixels()[k];
        }
        result.planes += (result.planes.empty() ? "grey: " : ", ") + nameOf(channels.channels[i]);
    }
    for (float& v : sum.pixels()) {
        v /= static_cast<float>(weights);
    }
    result.linear.isGrey = true;
    result.linear.planes = {sum, sum, sum};
    result.scales.white = "grey";
}

void fillColours(const std::vector<ChannelLayers>& layers,
                 const PlaneChoice& choice,
                 const PictureChannels& channels,
                 const catalog::StarStore* store,
                 JoinedPicture& result) {
    const auto red = static_cast<std::size_t>(choice.channel[0]);
    const auto blue = static_cast<std::size_t>(choice.channel[2]);
    const bool hasGreen = choice.channel[1] >= 0;
    const auto green = static_cast<std::size_t>(hasGreen ? choice.channel[1] : 0);
    const frame::Image starsBetween =
        hasGreen ? layers[green].stars : meanOf(layers[red].stars, layers[blue].stars);
    const auto stars = planeStars(
        {&layers[red].stars, &starsBetween, &layers[blue].stars}, store, result.grid, result.time);
    result.scales = picture::scalesOf(stars);
    result.linear.planes = {layers[red].light,
                            hasGreen ? layers[green].light
                                     : meanOf(layers[red].light, layers[blue].light),
                            layers[blue].light};
    double variance = 0.0;
    const std::array<std::size_t, 3> from{red, hasGreen ? green : red, blue};
    for (std::size_t c = 0; c < 3; ++c) {
        const auto scale = static_cast<float>(result.scales.scale[c]);
        for (float& v : result.linear.planes[c].pixels()) {
            v *= scale;
        }
        variance += std::pow(result.scales.scale[c] * layers[from[c]].noise / 3.0, 2.0);
    }
    result.planes = fmt::format("red {}, green {}, blue {}",
                                nameOf(channels.channels[red]),
                                hasGreen ? nameOf(channels.channels[green]) : "the mean",
                                nameOf(channels.channels[blue]));
    for (const std::size_t i : choice.colourless) {
        addLuminance(layers[i], starsBetween, std::sqrt(variance), result);
        result.planes += ", luminance " + nameOf(channels.channels[i]);
    }
}

} // namespace

Result<JoinedPicture> joinPicture(const PictureChannels& channels,
                                  const JoinedPictureWishes& wishes,
                                  const catalog::StarStore* store,
                                  const fs::path& folder,
                                  const Job& job) {
    if (wishes.layers != PictureLayers::Stars && !wishes.target) {
        return fail(ErrorId::PictureNoLayer,
                    "A comet layer needs a motion: --body, --rate or --marks.");
    }
    Joiner joiner(channels, wishes, folder, job);
    if (auto laid = joiner.layOut(); !laid) {
        return fail(laid.error());
    }
    JoinedPicture result;
    result.grid = joiner.grid();
    result.time = joiner.time();
    std::vector<ChannelLayers> layers;
    for (const auto& channel : channels.channels) {
        auto made = joiner.make(channel);
        if (!made) {
            return fail(made.error());
        }
        layers.push_back(std::move(*made));
        result.frames = channels.arePlanes
                            ? static_cast<int>(channel.lights.size())
                            : result.frames + static_cast<int>(channel.lights.size());
    }
    const PlaneChoice choice = choosePlanes(channels.channels);
    if (choice.isGrey) {
        fillGrey(layers, choice, channels, result);
    } else {
        fillColours(layers, choice, channels, store, result);
    }
    return result;
}

} // namespace pathmark::night
