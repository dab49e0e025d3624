#include "core/picture/stretch.h"

#include "core/base/parallel.h"
#include "core/base/text.h"

#include <algorithm>
#include <cmath>
#include <vector>

namespace pathmark::picture {
namespace {

constexpr double kBlackSigma = 1.5;
constexpr double kSoftSigma = 3.0;
constexpr double kWhiteSigma = 40.0;
constexpr double kWhiteShare = 1.0 / 4000.0;

/// The curve in single precision, what is alike for all pixels worked out once.
class FastCurve {
  public:
    explicit FastCurve(const Stretch& stretch)
        : isLinear_(stretch.curve == Stretch::Curve::Linear),
          black_(static_cast<float>(stretch.black)),
          soft_(static_cast<float>(1.0 / stretch.softness)) {
        const double range = std::max(1e-12, stretch.white - stretch.black);
        factor_ = static_cast<float>(isLinear_ ? 1.0 / range
                                               : 1.0 / std::asinh(range / stretch.softness));
    }

    [[nodiscard]] float at(float light) const {
        const float above = std::max(0.0F, light - black_);
        if (isLinear_) {
            return factor_ * above;
        }
        const float x = above * soft_; // not negative: the logarithm loses nothing
        return factor_ * (x < 1e-3F ? x : std::log(x + std::sqrt(x * x + 1.0F)));
    }

  private:
    bool isLinear_;
    float black_;
    float soft_;
    float factor_ = 1.0F;
};

/// A pixel's planes drawn towards their mean until none is brighter than white.
void holdToWhite(std::array<float, 3>& rgb) {
    const float most = std::max({rgb[0], rgb[1], rgb[2]});
    if (most <= 1.0F) {
        return;
    }
    const float mean = std::min(1.0F, (rgb[0] + rgb[1] + rgb[2]) / 3.0F);
    const float share = most > mean ? (1.0F - mean) / (most - mean) : 0.0F;
    for (float& v : rgb) {
        v = std::clamp(mean + share * (v - mean), 0.0F, 1.0F);
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

double brightnessOf(const Stretch& stretch, double light) {
    return static_cast<double>(FastCurve(stretch).at(static_cast<float>(light)));
}

ColourPicture stretched(const ColourPicture& picture, const Stretch& stretch) {
    ColourPicture result;
    result.isGrey = picture.isGrey;
    for (auto& plane : result.planes) {
        plane = frame::Image(picture.width(), picture.height());
    }
    const FastCurve curve(stretch);
    const auto black = static_cast<float>(stretch.black);
    const auto half = static_cast<float>(0.5 * stretch.softness);
    const auto saturation = static_cast<float>(stretch.saturation);
    parallelFor(static_cast<std::size_t>(picture.height()), [&](std::size_t row) {
        const int y = static_cast<int>(row);
        const std::array in{
            picture.planes[0].row(y), picture.planes[1].row(y), picture.planes[2].row(y)};
        const std::array out{
            result.planes[0].row(y), result.planes[1].row(y), result.planes[2].row(y)};
        for (std::size_t x = 0; x < in[0].size(); ++x) {
            const float light = (in[0][x] + in[1][x] + in[2][x]) / 3.0F;
            const float bright = curve.at(light);
            const float above = light - black;
            // Near black the ratio is noise over noise: its colour fades.
            const float share = above > 0.0F ? saturation / (above + half) : 0.0F;
            std::array<float, 3> rgb{};
            for (std::size_t c = 0; c < 3; ++c) {
                rgb[c] = std::max(0.0F, bright * (1.0F + share * (in[c][x] - light)));
            }
            holdToWhite(rgb);
            for (std::size_t c = 0; c < 3; ++c) {
                out[c][x] = rgb[c];
            }
        }
    });
    return result;
}

} // namespace pathmark::picture
