#include "core/night/joined_picture.h"

#include "core/base/robust.h"
#include "core/night/picture_layers.h"
#include "core/night/plane_stars.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>

namespace pathmark::night {
namespace {

constexpr std::array kPlaneMiddles{640.0, 545.0, 440.0}; ///< nm of red, green and blue
constexpr std::size_t kLeastCommonStars = 3;

/// Which channels become which plane.
struct PlaneChoice {
    std::array<std::vector<std::size_t>, 3>
        channels; ///< green may have none: the mean of the others
    std::vector<std::size_t> colourless;

    [[nodiscard]] bool isGrey() const { return channels[0].empty() || channels[2].empty(); }
};

PlaneChoice chosenByHand(const std::vector<PictureChannel>& channels,
                         const std::map<std::string, int>& planeOf) {
    PlaneChoice choice;
    for (std::size_t i = 0; i < channels.size(); ++i) {
        const auto found = planeOf.find(channels[i].name);
        if (found != planeOf.end()) {
            (found->second < 0 ? choice.colourless
                               : choice.channels[static_cast<std::size_t>(found->second)])
                .push_back(i);
        }
    }
    return choice;
}

PlaneChoice choosePlanes(const std::vector<PictureChannel>& channels) {
    PlaneChoice choice;
    std::vector<std::size_t> coloured;
    for (std::size_t i = 0; i < channels.size(); ++i) {
        (channels[i].nanometres > 0.0 ? coloured : choice.colourless).push_back(i);
    }
    if (coloured.size() < 2) {
        // A single colour is light like any other.
        choice.colourless.insert(choice.colourless.end(), coloured.begin(), coloured.end());
        return choice;
    }
    choice.channels[2] = {coloured.front()}; // in the order of wavelengths
    choice.channels[0] = {coloured.back()};
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
    choice.channels[1] = {coloured[green]};
    choice.channels[0] = {coloured[nearest(kPlaneMiddles[0], green + 1, coloured.size())]};
    choice.channels[2] = {coloured[nearest(kPlaneMiddles[2], 0, green)]};
    return choice;
}

void leaveOut(std::size_t channel, PlaneChoice& choice) {
    std::erase(choice.colourless, channel);
    for (auto& plane : choice.channels) {
        std::erase(plane, channel);
    }
}

std::string nameOf(const PictureChannel& channel) {
    return channel.name.empty() ? "no filter" : channel.name;
}

void multiply(frame::Image& image, double factor) {
    for (float& v : image.pixels()) {
        v *= static_cast<float>(factor);
    }
}

/// `to` becomes the weighted mean of both; an empty picture stays one.
void mix(frame::Image& to, double share, const frame::Image& other, double factor) {
    const auto own = static_cast<float>(1.0 - share);
    const auto theirs = static_cast<float>(share * factor);
    for (std::size_t k = 0; k < to.pixels().size(); ++k) {
        to.pixels()[k] = own * to.pixels()[k] + theirs * other.pixels()[k];
    }
}

/// Puts the layers of a picture together.
class Joiner {
  public:
    Joiner(std::vector<ChannelLayers> layers,
           const std::vector<PictureChannel>& channels,
           PlaneChoice choice,
           JoinedPicture& result)
        : layers_(std::move(layers)), channels_(channels), choice_(std::move(choice)),
          result_(result) {}

    void fillGrey();
    void fillColours(const catalog::StarStore* store);

  private:
    [[nodiscard]] std::optional<double> scaleTo(const frame::Image& stars,
                                                const ChannelLayers& other) const;
    [[nodiscard]] ChannelLayers meanOf(const std::vector<std::size_t>& members) const;
    void put(std::size_t plane, const ChannelLayers& layers, double scale);
    void addLuminance(const ChannelLayers& light, const frame::Image& greenStars);
    [[nodiscard]] std::string namesOf(const std::vector<std::size_t>& members) const;

    std::vector<ChannelLayers> layers_;
    const std::vector<PictureChannel>& channels_;
    PlaneChoice choice_;
    JoinedPicture& result_;
};

std::string Joiner::namesOf(const std::vector<std::size_t>& members) const {
    std::string names;
    for (const std::size_t i : members) {
        names += (names.empty() ? "" : " and ") + nameOf(channels_[i]);
    }
    return names;
}

/// What brings a channel's light to that of the stars of another, by those that both show.
std::optional<double> Joiner::scaleTo(const frame::Image& stars, const ChannelLayers& other) const {
    std::vector<double> ratios;
    for (const auto& star : planeStars(
             {&stars, &other.measured(), &other.measured()}, nullptr, result_.grid, result_.time)) {
        if (star.flux[0] > 0.0 && star.flux[1] > 0.0) {
            ratios.push_back(star.flux[0] / star.flux[1]);
        }
    }
    return ratios.size() < kLeastCommonStars ? std::nullopt
                                             : std::optional(medianInPlace(std::span(ratios)));
}

/// Channels averaged by their noise, brought to the scale of the first.
ChannelLayers Joiner::meanOf(const std::vector<std::size_t>& members) const {
    ChannelLayers mean = layers_[members.front()];
    double weight = 1.0 / (mean.noise * mean.noise);
    for (std::size_t k = 1; k < members.size(); ++k) {
        const ChannelLayers& other = layers_[members[k]];
        const double scale = scaleTo(mean.measured(), other).value_or(1.0);
        const double theirs = 1.0 / std::pow(scale * other.noise, 2.0);
        const double share = theirs / (weight + theirs);
        for (const auto& [to, from] : {std::pair{&mean.light, &other.light},
                                       std::pair{&mean.stars, &other.stars},
                                       std::pair{&mean.starStack, &other.starStack},
                                       std::pair{&mean.sky, &other.sky}}) {
            mix(*to, share, *from, scale);
        }
        mean.lightVariance = (1.0 - share) * (1.0 - share) * mean.lightVariance +
                             share * share * scale * other.lightVariance;
        weight += theirs;
        mean.noise = 1.0 / std::sqrt(weight);
    }
    return mean;
}

void Joiner::put(std::size_t plane, const ChannelLayers& layers, double scale) {
    result_.linear.planes[plane] = layers.light;
    result_.stars.planes[plane] = layers.stars;
    result_.sky.planes[plane] = layers.sky;
    for (auto* picture : {&result_.linear, &result_.stars, &result_.sky}) {
        multiply(picture->planes[plane], scale);
    }
    result_.noise[plane] = scale * layers.noise;
    result_.lightVariance[plane] = scale * layers.lightVariance;
    if (result_.extent.empty()) {
        result_.extent = layers.extent;
    }
    for (std::size_t k = 0; k < layers.extent.pixels().size(); ++k) {
        result_.extent.pixels()[k] =
            std::max(result_.extent.pixels()[k], layers.extent.pixels()[k]);
    }
}

/// A picture of light without colours.
void Joiner::fillGrey() {
    std::vector<std::size_t> members = choice_.colourless;
    for (const auto& plane : choice_.channels) {
        members.insert(members.end(), plane.begin(), plane.end());
    }
    const ChannelLayers mean = meanOf(members);
    for (std::size_t c = 0; c < 3; ++c) {
        put(c, mean, 1.0);
    }
    result_.linear.isGrey = result_.stars.isGrey = result_.sky.isGrey = true;
    result_.planes = "grey: " + namesOf(members);
    result_.scales.white = "grey";
}

/// Light without a colour, brought to the picture's scale by the stars and averaged into its intensity.
void Joiner::addLuminance(const ChannelLayers& light, const frame::Image& greenStars) {
    const auto scale = scaleTo(greenStars, light);
    if (!scale) {
        return;
    }
    double own = 0.0;
    for (const double noise : result_.noise) {
        own += noise * noise / 9.0;
    }
    const double theirs = std::pow(*scale * light.noise, 2.0);
    const double share = own / (own + theirs);
    const auto lift = [&](picture::ColourPicture& picture, const frame::Image& by) {
        for (std::size_t k = 0; k < picture.planes[0].pixels().size(); ++k) {
            const float more = static_cast<float>(share) *
                               (static_cast<float>(*scale) * by.pixels()[k] - picture.intensity(k));
            for (auto& plane : picture.planes) {
                plane.pixels()[k] += more;
            }
        }
    };
    lift(result_.linear, light.light);
    if (!light.stars.empty()) {
        lift(result_.stars, light.stars);
    }
    for (double& noise : result_.noise) {
        const double others = own - noise * noise / 9.0;
        noise = std::sqrt(std::pow(noise * (1.0 - share / 3.0), 2.0) +
                          share * share * (others + theirs));
    }
}

void Joiner::fillColours(const catalog::StarStore* store) {
    const ChannelLayers red = meanOf(choice_.channels[0]);
    const ChannelLayers blue = meanOf(choice_.channels[2]);
    const bool hasGreen = !choice_.channels[1].empty();
    ChannelLayers green = hasGreen ? meanOf(choice_.channels[1]) : red;
    if (!hasGreen) {
        for (const auto& [to, from] : {std::pair{&green.light, &blue.light},
                                       std::pair{&green.stars, &blue.stars},
                                       std::pair{&green.starStack, &blue.starStack},
                                       std::pair{&green.sky, &blue.sky}}) {
            mix(*to, 0.5, *from, 1.0);
        }
        green.noise = 0.5 * std::hypot(red.noise, blue.noise);
        green.lightVariance = 0.25 * (red.lightVariance + blue.lightVariance);
    }
    const auto stars = planeStars(
        {&red.measured(), &green.measured(), &blue.measured()}, store, result_.grid, result_.time);
    result_.scales = picture::scalesOf(stars);
    put(0, red, result_.scales.scale[0]);
    put(1, green, result_.scales.scale[1]);
    put(2, blue, result_.scales.scale[2]);
    result_.planes = fmt::format("red {}, green {}, blue {}",
                                 namesOf(choice_.channels[0]),
                                 hasGreen ? namesOf(choice_.channels[1]) : "the mean",
                                 namesOf(choice_.channels[2]));
    for (const std::size_t i : choice_.colourless) {
        addLuminance(layers_[i], green.measured());
        result_.planes += ", luminance " + nameOf(channels_[i]);
    }
}

} // namespace

Result<JoinedPicture> joinPicture(const PictureChannels& channels,
                                  const JoinedPictureWishes& wishes,
                                  const catalog::StarStore* store,
                                  const std::filesystem::path& folder,
                                  const Job& job) {
    if (wishes.layers != PictureLayers::Stars && !wishes.target) {
        return fail(ErrorId::PictureNoLayer,
                    "A comet layer needs a motion: --body, --rate or --marks.");
    }
    const std::vector<PictureChannel>& all = channels.channels;
    LayerMaker maker(channels, wishes, folder, job);
    if (auto laid = maker.layOut(); !laid) {
        return fail(laid.error());
    }
    PlaneChoice choice =
        wishes.planeOf.empty() ? choosePlanes(all) : chosenByHand(all, wishes.planeOf);
    JoinedPicture result;
    result.grid = maker.grid();
    result.time = maker.time();
    std::vector<ChannelLayers> layers(all.size());
    bool hasAny = false;
    for (std::size_t i = 0; i < all.size(); ++i) {
        const auto takes = [i](const std::vector<std::size_t>& list) {
            return std::find(list.begin(), list.end(), i) != list.end();
        };
        if (!takes(choice.colourless) &&
            std::none_of(choice.channels.begin(), choice.channels.end(), takes)) {
            continue;
        }
        auto made = maker.make(all[i]);
        if (!made && made.error().id == ErrorId::StackNoFrames && all.size() > 1) {
            result.leftOut.push_back(
                fmt::format("{} is left out: {}", nameOf(all[i]), made.error().detail));
            leaveOut(i, choice);
            continue;
        }
        if (!made) {
            return fail(made.error());
        }
        layers[i] = std::move(*made);
        const int frames = static_cast<int>(all[i].lights.size());
        result.frames = channels.arePlanes ? frames : result.frames + frames;
        hasAny = true;
    }
    if (!hasAny) {
        return fail(ErrorId::PictureNoLayer,
                    result.leftOut.empty() ? "None of the filters named is that of a frame."
                                           : result.leftOut.front());
    }
    const bool isGrey = choice.isGrey();
    Joiner joiner(std::move(layers), all, std::move(choice), result);
    if (isGrey) {
        joiner.fillGrey();
    } else {
        joiner.fillColours(store);
    }
    return result;
}

} // namespace pathmark::night
