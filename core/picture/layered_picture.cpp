#include "core/picture/layered_picture.h"

#include "core/base/parallel.h"

#include <algorithm>
#include <array>

namespace pathmark::picture {
namespace {

/// Pixel by pixel, a plane changed by another.
template <class F>
void combine(ColourPicture& to, const ColourPicture& other, const F& change) {
    for (std::size_t c = 0; c < 3; ++c) {
        parallelFor(static_cast<std::size_t>(to.height()), [&](std::size_t row) {
            const auto out = to.planes[c].row(static_cast<int>(row));
            const auto in = other.planes[c].row(static_cast<int>(row));
            for (std::size_t x = 0; x < out.size(); ++x) {
                out[x] = change(out[x], in[x]);
            }
        });
    }
}

void applyWhite(ColourPicture& picture, const std::array<double, 3>& factors) {
    for (std::size_t c = 0; c < 3; ++c) {
        if (factors[c] != 1.0) {
            for (float& v : picture.planes[c].pixels()) {
                v *= static_cast<float>(factors[c]);
            }
        }
    }
}

/// The stars' own stretch, of a layer whose sky is 0.
Stretch starStretch(const StarStretch& stars, const Look& look, const Ground& ground) {
    Stretch stretch;
    stretch.curve = look.isLinear ? Stretch::Curve::Linear : Stretch::Curve::Asinh;
    stretch.black = 0.0;
    stretch.white = stars.white * ground.noise;
    stretch.softness = stars.softness * ground.noise;
    stretch.saturation = look.saturation;
    return stretch;
}

} // namespace

const char* name(Shown shown) {
    constexpr std::array kNames{"both", "comet", "stars"};
    return kNames[static_cast<std::size_t>(shown)];
}

std::optional<Shown> shownNamed(std::string_view wanted) {
    for (const Shown shown : {Shown::Both, Shown::Comet, Shown::Stars}) {
        if (wanted == name(shown)) {
            return shown;
        }
    }
    return std::nullopt;
}

ColourPicture LayeredPicture::comet() const {
    ColourPicture layer = whole;
    if (hasLayers()) {
        combine(layer, stars, [](float all, float star) { return all - star; });
    }
    return layer;
}

const std::array<double, 3>& LayeredPicture::factorsOf(White white) const {
    static constexpr std::array<double, 3> kAsItIs{1.0, 1.0, 1.0};
    return white == White::Average ? average : white == White::AsRecorded ? recorded : kAsItIs;
}

Stretch stretchOf(const Look& look, const Stretch& found, const Ground& ground) {
    const auto lightOf = [&](double sigmas) { return ground.level + sigmas * ground.noise; };
    Stretch stretch = found;
    stretch.curve = look.isLinear ? Stretch::Curve::Linear : found.curve;
    stretch.saturation = look.saturation;
    stretch.black = look.black ? lightOf(*look.black) : found.black;
    stretch.white = look.white ? lightOf(*look.white) : found.white;
    stretch.softness = look.softness ? *look.softness * ground.noise : found.softness;
    return stretch;
}

namespace {

/// The light that goes through the picture's own stretch.
ColourPicture chosenLight(const LayeredPicture& picture,
                          const Look& look,
                          Shown layers,
                          bool areApart,
                          const Smoothing* smoothing) {
    if (layers == Shown::Stars) {
        return picture.stars;
    }
    if (look.smoothing > 0.0) {
        ColourPicture light = smoothing != nullptr
                                  ? smoothing->at(look.smoothing)
                                  : smoothed(picture.comet(), picture.noise, look.smoothing);
        if (picture.hasLayers() && layers == Shown::Both && !areApart) {
            combine(light, picture.stars, [](float comet, float star) { return comet + star; });
        }
        return light;
    }
    return areApart || layers == Shown::Comet ? picture.comet() : picture.whole;
}

} // namespace

ColourPicture shown(const LayeredPicture& picture,
                    const Look& look,
                    const Stretch& stretch,
                    const Ground& ground,
                    const Smoothing* smoothing) {
    const Shown layers = picture.hasLayers() ? look.layers : Shown::Both;
    const bool areApart = picture.hasLayers() && look.stars && layers == Shown::Both;
    if (layers == Shown::Both && !areApart && look.smoothing == 0.0 && look.whiteIs == White::Sun) {
        return stretched(picture.whole, stretch); // as it is, without a copy of it
    }
    ColourPicture light = chosenLight(picture, look, layers, areApart, smoothing);
    const auto& factors = picture.factorsOf(look.whiteIs);
    applyWhite(light, factors);
    if (layers == Shown::Stars && look.stars) {
        return stretched(light, starStretch(*look.stars, look, ground));
    }
    ColourPicture result = stretched(light, stretch);
    if (areApart) {
        ColourPicture stars = picture.stars;
        applyWhite(stars, factors);
        combine(result,
                stretched(stars, starStretch(*look.stars, look, ground)),
                [](float a, float b) { return 1.0F - (1.0F - a) * (1.0F - b); });
    }
    return result;
}

} // namespace pathmark::picture
