#include "core/measure/fit_picture.h"

#include "core/base/robust.h"

#include <cmath>
#include <vector>

namespace pathmark::measure {
namespace {

/// The level that is left where the model has no light to speak of.
float levelOf(const FitPicture& drawn, double noise) {
    std::vector<double> rest;
    for (std::size_t k = 0; k < drawn.data.pixels().size(); ++k) {
        const float light = drawn.model.pixels()[k];
        const float value = drawn.data.pixels()[k];
        if (std::isfinite(value) && static_cast<double>(light) < noise) {
            rest.push_back(static_cast<double>(value - light));
        }
    }
    return rest.empty() ? 0.0F : static_cast<float>(medianInPlace(std::span(rest)));
}

} // namespace

FitPicture fitPicture(const Picture& picture,
                      const PointForms& forms,
                      frame::PixelPos place,
                      double flux,
                      std::span<const StarNearby> neighbours,
                      int half) {
    const int side = 2 * half + 1;
    FitPicture drawn{frame::Image(side, side, frame::kNoValue),
                     frame::Image(side, side),
                     frame::Image(side, side, frame::kNoValue)};
    const int x0 = static_cast<int>(std::lround(place.x)) - half;
    const int y0 = static_cast<int>(std::lround(place.y)) - half;
    const auto lightAt = [&](int x, int y) {
        double light = flux * forms.body.at(x - place.x, y - place.y).value;
        for (const StarNearby& near : neighbours) {
            light +=
                near.flux.value_or(0.0) * forms.star.at(x - near.pixel.x, y - near.pixel.y).value;
        }
        return responseAt(picture, x, y) * light;
    };
    for (int j = 0; j < side; ++j) {
        for (int i = 0; i < side; ++i) {
            if (picture.image->contains(x0 + i, y0 + j)) {
                drawn.data.at(i, j) = picture.image->at(x0 + i, y0 + j);
                drawn.model.at(i, j) = static_cast<float>(lightAt(x0 + i, y0 + j));
            }
        }
    }
    const float level = levelOf(drawn, picture.noise);
    for (int j = 0; j < side; ++j) {
        for (int i = 0; i < side; ++i) {
            if (!picture.image->contains(x0 + i, y0 + j)) {
                continue;
            }
            drawn.data.at(i, j) -= level;
            const auto model = static_cast<double>(drawn.model.at(i, j));
            const double sigma = std::sqrt(std::pow(noiseAt(picture, x0 + i, y0 + j), 2) +
                                           picture.lightVariance * std::max(0.0, model));
            drawn.left.at(i, j) =
                static_cast<float>((static_cast<double>(drawn.data.at(i, j)) - model) / sigma);
        }
    }
    return drawn;
}

} // namespace pathmark::measure
