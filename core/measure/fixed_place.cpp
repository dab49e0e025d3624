#include "core/measure/fixed_place.h"

#include "core/base/linear.h"

#include <algorithm>
#include <cmath>

namespace pathmark::measure {
namespace {

using detect::PointSpread;

constexpr double kStarError = 0.05; ///< relative, of the expected light of a star

/// A pixel of the window: what each part of the model leaves in it, and its value.
struct WindowPixel {
    std::vector<double> parts; ///< body, level, then stars whose light is not known
    double value = 0.0;
    double variance = 1.0;
};

} // namespace

Result<FixedLight> lightAt(const Picture& picture, const Target& target, frame::PixelPos place) {
    const auto predicted = picture.wcs.toPixel(target.lookedFor()).value_or(place);
    const auto way = waysOf(picture, target, predicted).front();
    const PointSpread body(picture.shape, way.x, way.y);
    const PointSpread star(picture.shape, picture.starTrailX, picture.starTrailY);
    return lightAt(picture, {body, star}, place, target.neighbours);
}

Result<FixedLight> lightAt(const Picture& picture,
                           const PointForms& forms,
                           frame::PixelPos place,
                           std::span<const StarNearby> neighbours) {
    const PointSpread& body = forms.body;
    const PointSpread& star = forms.star;
    const int half =
        static_cast<int>(std::ceil(picture.windowFwhm * body.fwhm() + body.trailHalf()));
    const int cx = static_cast<int>(std::lround(place.x));
    const int cy = static_cast<int>(std::lround(place.y));
    std::vector<const StarNearby*> known;
    std::vector<const StarNearby*> unknown;
    for (const StarNearby& near : neighbours) {
        const double distance = std::hypot(near.pixel.x - place.x, near.pixel.y - place.y);
        if (distance < half + 3.5 * star.fwhm()) {
            if (near.flux) {
                known.push_back(&near);
            } else if (distance > 0.8 * star.fwhm()) {
                unknown.push_back(&near);
            }
        }
    }
    const std::size_t count = 2 + unknown.size();
    std::vector<WindowPixel> pixels;
    for (int y = cy - half; y <= cy + half; ++y) {
        for (int x = cx - half; x <= cx + half; ++x) {
            if (!picture.image->contains(x, y) || !std::isfinite(picture.image->at(x, y))) {
                continue;
            }
            const double response = responseAt(picture, x, y);
            WindowPixel pixel;
            pixel.value = static_cast<double>(picture.image->at(x, y)) / response;
            pixel.variance = std::pow(noiseAt(picture, x, y) / response, 2);
            for (const StarNearby* near : known) {
                const double light =
                    *near->flux * star.at(x - near->pixel.x, y - near->pixel.y).value;
                const double error = std::max(kStarError, near->error) * light;
                pixel.value -= light;
                pixel.variance += picture.lightVariance * light + error * error;
            }
            pixel.parts.push_back(body.at(x - place.x, y - place.y).value);
            pixel.parts.push_back(1.0);
            for (const StarNearby* near : unknown) {
                pixel.parts.push_back(star.at(x - near->pixel.x, y - near->pixel.y).value);
            }
            pixels.push_back(std::move(pixel));
        }
    }
    const auto side = static_cast<std::size_t>(2 * half + 1);
    if (pixels.size() < std::max(side * side / 2, 3 * count)) {
        return fail(ErrorId::MeasureOutside, "The source is too near the edge of the picture.");
    }
    FixedLight result;
    const auto n = static_cast<Eigen::Index>(count);
    // The light's own noise is known once the light is: two rounds.
    for (int round = 0; round < 2; ++round) {
        Eigen::MatrixXd left = Eigen::MatrixXd::Zero(n, n);
        Eigen::VectorXd right = Eigen::VectorXd::Zero(n);
        const auto weightOf = [&](const WindowPixel& p) {
            return 1.0 /
                   (p.variance + picture.lightVariance * std::max(0.0, result.flux) * p.parts[0]);
        };
        for (const WindowPixel& p : pixels) {
            const double w = weightOf(p);
            for (Eigen::Index a = 0; a < n; ++a) {
                right(a) += w * p.parts[static_cast<std::size_t>(a)] * p.value;
                for (Eigen::Index b = 0; b < n; ++b) {
                    left(a, b) += w * p.parts[static_cast<std::size_t>(a)] *
                                  p.parts[static_cast<std::size_t>(b)];
                }
            }
        }
        const Eigen::VectorXd solved = solveSymmetric(left, right);
        result.flux = solved(0);
        result.fluxError = std::sqrt(inverseOfSymmetric(left)(0, 0));
        double chi = 0.0;
        for (const WindowPixel& p : pixels) {
            double rest = p.value;
            for (Eigen::Index a = 0; a < n; ++a) {
                rest -= solved(a) * p.parts[static_cast<std::size_t>(a)];
            }
            chi += weightOf(p) * rest * rest;
        }
        result.chiSquare = chi / static_cast<double>(pixels.size() - count);
    }
    return result;
}

} // namespace pathmark::measure
