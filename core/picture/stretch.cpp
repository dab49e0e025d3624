#include "core/picture/stretch.h"

#include "core/base/parallel.h"
#include "core/base/text.h"

#include <algorithm>
#include <cmath>
#include <vector>

namespace pathmark::picture {
namespace {

constexpr double kBlackSigma = 1.5;
constexpr double kSoftSigma = 2.0;
constexpr double kWhiteSigma = 40.0;
constexpr double kWhiteShare = 1.0 / 4000.0;

double curveAt(const Stretch& stretch, double light) {
    const double above = std::max(0.0, light - stretch.black);
    const double range = std::max(1e-12, stretch.white - stretch.black);
    return stretch.curve == Stretch::Curve::Linear
               ? above / range
               : std::asinh(above / stretch.softness) / std::asinh(range / stretch.softness);
}

/// A pixel's planes drawn towards their mean until none is brighter than white.
void holdToWhite(std::array<double, 3>& rgb) {
    const double most = std::max({rgb[0], rgb[1], rgb[2]});
    if (most <= 1.0) {
        return;
    }
    const double mean = std::min(1.0, (rgb[0] + rgb[1] + rgb[2]) / 3.0);
    const double share = most > mean ? (1.0 - mean) / (most - mean) : 0.0;
    for (double& v : rgb) {
        v = std::clamp(mean + share * (v - mean), 0.0, 1.0);
    }
}

} // namespace

std::optional<StretchWish> stretchNamed(std::string_view words) {
    StretchWish wish;
    if (words == "auto") {
        return wish;
    }
    if (words == "linear") {
        wish.curve = Stretch::Curve::Linear;
        return wish;
    }
    constexpr std::string_view kAsinh = "asinh:";
    if (words.substr(0, kAsinh.size()) == kAsinh) {
        const auto softness = parseNumber(words.substr(kAsinh.size()));
        if (softness && *softness > 0.0) {
            wish.softness = *softness;
            return wish;
        }
    }
    return std::nullopt;
}

Stretch stretchFor(const ColourPicture& picture, const StretchWish& wish) {
    const Ground ground = groundOf(picture);
    Stretch stretch;
    stretch.curve = wish.curve;
    stretch.black = wish.black.value_or(ground.level - kBlackSigma * ground.noise);
    stretch.softness = wish.softness.value_or(kSoftSigma * ground.noise);
    if (wish.white) {
        stretch.white = *wish.white;
        return stretch;
    }
    std::vector<float> values;
    for (std::size_t k = 0; k < picture.planes[0].pixels().size(); ++k) {
        values.push_back(picture.intensity(k));
    }
    const auto rank =
        static_cast<std::ptrdiff_t>((1.0 - kWhiteShare) * static_cast<double>(values.size() - 1));
    std::nth_element(values.begin(), values.begin() + rank, values.end());
    stretch.white = std::max(static_cast<double>(values[static_cast<std::size_t>(rank)]),
                             ground.level + kWhiteSigma * ground.noise);
    return stretch;
}

ColourPicture stretched(const ColourPicture& picture, const Stretch& stretch) {
    ColourPicture result = picture;
    const auto width = static_cast<std::size_t>(picture.width());
    parallelFor(static_cast<std::size_t>(picture.height()), [&](std::size_t row) {
        for (std::size_t k = row * width; k < (row + 1) * width; ++k) {
            const auto light = static_cast<double>(picture.intensity(k));
            const double bright = curveAt(stretch, light);
            const double above = light - stretch.black;
            std::array<double, 3> rgb{};
            for (std::size_t c = 0; c < 3; ++c) {
                const double own =
                    static_cast<double>(picture.planes[c].pixels()[k]) - stretch.black;
                // Near black the ratio is noise over noise.
                const double ratio = above > 0.0 ? own / (above + 0.5 * stretch.softness) : 0.0;
                const double fade = above > 0.0 ? above / (above + 0.5 * stretch.softness) : 0.0;
                rgb[c] = std::max(0.0, bright * (ratio + 1.0 - fade));
            }
            holdToWhite(rgb);
            for (std::size_t c = 0; c < 3; ++c) {
                result.planes[c].pixels()[k] = static_cast<float>(rgb[c]);
            }
        }
    });
    return result;
}

} // namespace pathmark::picture
