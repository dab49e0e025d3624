#include "core/sweep/frame_filter.h"

#include "core/base/parallel.h"
#include "core/base/robust.h"
#include "core/detect/moffat.h"
#include "core/stack/convolution.h"
#include "core/stack/star_filter.h"

#include <cmath>

namespace pathmark::sweep {
namespace {

constexpr double kLeastScatter = 0.1; ///< below which a frame has no noise to go by

/// A picture with a border of nothing.
frame::Image bordered(int width, int height, int border) {
    return {width + 2 * border, height + 2 * border, 0.0F};
}

frame::Image filtered(const frame::Image& picture, const std::vector<float>& kernel, int half) {
    frame::Image result(picture.width() - 2 * half, picture.height() - 2 * half);
    parallelFor(static_cast<std::size_t>(result.height()), [&](std::size_t y) {
        stack::convolveRow(
            picture, kernel, half, 0, static_cast<int>(y), result.row(static_cast<int>(y)));
    });
    return result;
}

void sumUp(const FramePixels& pixels, const stack::StarFilter& filter, FilteredFrame& sums) {
    const int width = pixels.light.width();
    const int height = pixels.light.height();
    frame::Image weighted = bordered(width, height, filter.half);
    frame::Image inverse = bordered(width, height, filter.half);
    for (int y = 0; y < height; ++y) {
        const auto light = pixels.light.row(y);
        const auto variance = pixels.variance.row(y);
        auto toWeighted =
            weighted.row(y + filter.half).subspan(static_cast<std::size_t>(filter.half));
        auto toInverse =
            inverse.row(y + filter.half).subspan(static_cast<std::size_t>(filter.half));
        for (std::size_t x = 0; x < light.size(); ++x) {
            if (std::isfinite(light[x]) && variance[x] > 0.0F) {
                toInverse[x] = 1.0F / variance[x];
                toWeighted[x] = light[x] / variance[x];
            }
        }
    }
    sums.light = filtered(weighted, filter.light, filter.half);
    sums.information = filtered(inverse, filter.square, filter.half);
}

/// The usual value among those of a frame that see anything.
double usualOf(const frame::Image& information) {
    std::vector<float> values;
    for (std::size_t i = 0; i < information.pixels().size(); i += 7) {
        if (information.pixels()[i] > 0.0F) {
            values.push_back(information.pixels()[i]);
        }
    }
    return values.empty() ? 0.0 : medianInPlace(std::span(values));
}

/// The scatter of N over what D says of it.
double scatterOf(const FilteredFrame& sums, double usual) {
    std::vector<double> values;
    const auto light = sums.light.pixels();
    const auto information = sums.information.pixels();
    for (std::size_t i = 0; i < light.size(); i += 13) {
        if (static_cast<double>(information[i]) > 0.5 * usual) {
            values.push_back(static_cast<double>(light[i]) /
                             std::sqrt(static_cast<double>(information[i])));
        }
    }
    const double sigma = values.size() < 100 ? 1.0 : medianAndDeviation(std::move(values)).sigma;
    return sigma > kLeastScatter ? sigma : 1.0;
}

} // namespace

FilteredFrame filterFrame(const FramePixels& pixels, double fwhm, double beta) {
    FilteredFrame sums;
    sumUp(pixels, stack::StarFilter::of(detect::Moffat::round(fwhm, beta)), sums);
    sums.usual = usualOf(sums.information);
    if (sums.usual > 0.0) {
        sums.scatter = scatterOf(sums, sums.usual);
    }
    return sums;
}

} // namespace pathmark::sweep
