#include "core/picture/light_histogram.h"

#include <algorithm>
#include <cmath>

namespace pathmark::picture {
namespace {

constexpr std::size_t kBins = 240;
constexpr double kLowestSigma = -8.0;

} // namespace

double LightHistogram::axisOf(double light) const {
    return std::asinh((light - ground.level) / ground.noise);
}

double LightHistogram::lightAt(double axis) const {
    return ground.level + ground.noise * std::sinh(axis);
}

LightHistogram histogramOf(const ColourPicture& picture) {
    LightHistogram histogram;
    histogram.ground = groundOf(picture);
    histogram.counts.assign(kBins, 0.0);
    const std::size_t count = picture.planes[0].pixels().size();
    float highest = 0.0F;
    for (std::size_t k = 0; k < count; ++k) {
        highest = std::max(highest, picture.intensity(k));
    }
    histogram.first = std::asinh(kLowestSigma);
    const double last =
        std::max(histogram.axisOf(static_cast<double>(highest)), histogram.first + 1.0);
    histogram.step = (last - histogram.first) / static_cast<double>(kBins) * (1.0 + 1e-9);
    for (std::size_t k = 0; k < count; ++k) {
        const float light = picture.intensity(k);
        if (light == 0.0F) { // what no frame shows
            continue;
        }
        const double bin =
            (histogram.axisOf(static_cast<double>(light)) - histogram.first) / histogram.step;
        const auto place = static_cast<std::size_t>(std::clamp(bin, 0.0, kBins - 1.0));
        histogram.counts[place] += 1.0;
    }
    return histogram;
}

Clipped clippedBy(const ColourPicture& picture, const Stretch& stretch) {
    const std::size_t count = picture.planes[0].pixels().size();
    std::size_t shown = 0;
    std::size_t black = 0;
    std::size_t white = 0;
    for (std::size_t k = 0; k < count; ++k) {
        const auto light = static_cast<double>(picture.intensity(k));
        if (light == 0.0) {
            continue;
        }
        ++shown;
        black += light <= stretch.black ? 1 : 0;
        white += light >= stretch.white ? 1 : 0;
    }
    const double all = std::max(1.0, static_cast<double>(shown));
    return {static_cast<double>(black) / all, static_cast<double>(white) / all};
}

} // namespace pathmark::picture
