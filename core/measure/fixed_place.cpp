#include "core/measure/fixed_place.h"

#include "core/base/linear.h"

#include <algorithm>
#include <cmath>
#include <vector>

namespace pathmark::measure {
namespace {

using detect::PointSpread;

/// Nearer than so many widths of a star, one that shines brightly is fitted along: what it may be wrong by is not the noise of single
/// pixels but a light of its form.
constexpr double kFittedFwhm = 2.5;

/// The square of pixels about a place that a fit goes by.
class FixedWindow {
  public:
    FixedWindow(const Picture& picture,
                const PointForms& forms,
                frame::PixelPos place,
                std::span<const StarNearby> neighbours)
        : picture_(picture), forms_(forms),
          half_(static_cast<int>(
              std::ceil(picture.windowFwhm * forms.body.fwhm() + forms.body.trailHalf()))),
          cx_(static_cast<int>(std::lround(place.x))), cy_(static_cast<int>(std::lround(place.y))),
          light_(side(), side()), errorSquare_(side(), side()) {
        parts_.push_back({planeOf(forms.body, place, Light::Value, 1.0), 0.0});
        parts_.push_back({frame::Image(side(), side(), 1.0F), 0.0});
        for (const StarNearby& near : neighbours) {
            const double distance = std::hypot(near.pixel.x - place.x, near.pixel.y - place.y);
            if (distance < half_ + 3.5 * forms.star.fwhm() + forms.star.trailHalf()) {
                add(near, distance);
            }
        }
        take();
    }

    [[nodiscard]] bool isWhole() const {
        const auto all = static_cast<std::size_t>(side()) * static_cast<std::size_t>(side());
        return pixels_.size() >= std::max(all / 2, 3 * parts_.size());
    }

    [[nodiscard]] FixedLight fit() const;

  private:
    enum class Light { Value, SlopeX, SlopeY };

    /// What the model is made of: so much of each is fitted.
    struct Part {
        frame::Image plane;
        double sigma = 0.0; ///< about nothing, beforehand; 0: not known
    };

    struct Pixel {
        int x = 0; ///< in the window
        int y = 0;
        double value = 0.0;
        double variance = 1.0;
    };

    [[nodiscard]] int side() const { return 2 * half_ + 1; }

    [[nodiscard]] frame::Image
    planeOf(const PointSpread& form, frame::PixelPos place, Light what, double weight) const;
    void add(const StarNearby& near, double distance);
    void fitAlong(const StarNearby& near, double error);
    void take();

    [[nodiscard]] double partAt(std::size_t part, const Pixel& pixel) const {
        return static_cast<double>(parts_[part].plane.at(pixel.x, pixel.y));
    }

    const Picture& picture_;
    const PointForms& forms_;
    int half_;
    int cx_;
    int cy_;
    frame::Image light_;       ///< of the stars whose flux is expected
    frame::Image errorSquare_; ///< of that
    std::vector<Part> parts_;  ///< the body, the level, then stars that are fitted along
    std::vector<Pixel> pixels_;
};

/// A point at a place over the window: drawn once about its own pixel, much cheaper than asked for pixel by pixel.
frame::Image FixedWindow::planeOf(const PointSpread& form,
                                  frame::PixelPos place,
                                  Light what,
                                  double weight) const {
    const int x = static_cast<int>(std::lround(place.x));
    const int y = static_cast<int>(std::lround(place.y));
    detect::SpreadPatch patch(std::max(1, form.radius() - 2));
    form.addPatch(place.x - x, place.y - y, static_cast<float>(weight), patch);
    const auto& values = what == Light::Value    ? patch.value
                         : what == Light::SlopeX ? patch.slopeX
                                                 : patch.slopeY;
    frame::Image plane(side(), side());
    for (int dy = -patch.half; dy <= patch.half; ++dy) {
        for (int dx = -patch.half; dx <= patch.half; ++dx) {
            const int i = x + dx - cx_ + half_;
            const int j = y + dy - cy_ + half_;
            if (plane.contains(i, j)) {
                plane.at(i, j) = values[patch.index(dx, dy)];
            }
        }
    }
    return plane;
}

void FixedWindow::add(const StarNearby& near, double distance) {
    if (!near.flux) {
        if (distance > 0.8 * forms_.star.fwhm()) {
            parts_.push_back({planeOf(forms_.star, near.pixel, Light::Value, 1.0), 0.0});
        }
        return;
    }
    const double error = std::max(kStarError, near.error);
    const bool isFitted = distance < kFittedFwhm * forms_.star.fwhm() + forms_.star.trailHalf() &&
                          isPlaceSeen(picture_, *near.flux);
    const frame::Image plane = planeOf(forms_.star, near.pixel, Light::Value, *near.flux);
    for (std::size_t k = 0; k < plane.pixels().size(); ++k) {
        const float light = plane.pixels()[k];
        light_.pixels()[k] += light;
        if (!isFitted) {
            errorSquare_.pixels()[k] += static_cast<float>(error * error) * light * light;
        }
    }
    if (isFitted) {
        parts_.push_back({plane, error});
        for (const Light slope : {Light::SlopeX, Light::SlopeY}) {
            parts_.push_back(
                {planeOf(forms_.star, near.pixel, slope, *near.flux), starPlaceError(picture_)});
        }
    }
}

void FixedWindow::take() {
    for (int j = 0; j < side(); ++j) {
        for (int i = 0; i < side(); ++i) {
            const int x = cx_ - half_ + i;
            const int y = cy_ - half_ + j;
            if (!picture_.image->contains(x, y) || !std::isfinite(picture_.image->at(x, y))) {
                continue;
            }
            const double response = responseAt(picture_, x, y);
            const auto light = static_cast<double>(light_.at(i, j));
            pixels_.push_back({i,
                               j,
                               static_cast<double>(picture_.image->at(x, y)) / response - light,
                               std::pow(noiseAt(picture_, x, y) / response, 2) +
                                   picture_.lightVariance * light +
                                   static_cast<double>(errorSquare_.at(i, j))});
        }
    }
}

FixedLight FixedWindow::fit() const {
    FixedLight result;
    const auto n = static_cast<Eigen::Index>(parts_.size());
    Eigen::VectorXd row(n);
    const auto fill = [&](const Pixel& p) {
        for (Eigen::Index a = 0; a < n; ++a) {
            row(a) = partAt(static_cast<std::size_t>(a), p);
        }
    };
    // The light's own noise is known once the light is: two rounds.
    for (int round = 0; round < 2; ++round) {
        Eigen::MatrixXd left = Eigen::MatrixXd::Zero(n, n);
        Eigen::VectorXd right = Eigen::VectorXd::Zero(n);
        const auto weightOf = [&, flux = std::max(0.0, result.flux)](const Pixel& p) {
            return 1.0 / (p.variance + picture_.lightVariance * flux * std::max(0.0, row(0)));
        };
        for (const Pixel& p : pixels_) {
            fill(p);
            const double w = weightOf(p);
            for (Eigen::Index a = 0; a < n; ++a) {
                const double wa = w * row(a);
                right(a) += wa * p.value;
                for (Eigen::Index b = 0; b < n; ++b) {
                    left(a, b) += wa * row(b);
                }
            }
        }
        for (Eigen::Index a = 0; a < n; ++a) {
            const double sigma = parts_[static_cast<std::size_t>(a)].sigma;
            left(a, a) += sigma > 0.0 ? 1.0 / (sigma * sigma) : 0.0;
        }
        const Eigen::VectorXd solved = solveSymmetric(left, right);
        double chi = 0.0;
        for (const Pixel& p : pixels_) {
            fill(p);
            const double rest = p.value - solved.dot(row);
            chi += weightOf(p) * rest * rest;
        }
        result.flux = solved(0);
        result.fluxError = std::sqrt(inverseOfSymmetric(left)(0, 0));
        result.chiSquare = chi / static_cast<double>(pixels_.size() - parts_.size());
    }
    return result;
}

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
    const FixedWindow window(picture, forms, place, neighbours);
    if (!window.isWhole()) {
        return fail(ErrorId::MeasureOutside, "The source is too near the edge of the picture.");
    }
    return window.fit();
}

std::optional<double> limitAt(const Picture& picture, const Target& target, frame::PixelPos place) {
    const auto light = lightAt(picture, target, place);
    if (!light || !picture.photometry || !(light->fluxError > 0.0) ||
        !(picture.exposureSeconds > 0.0)) {
        return std::nullopt;
    }
    return solve::toMagnitude(*picture.photometry,
                              leastSeen(target) * light->fluxError,
                              picture.exposureSeconds,
                              solve::kBodyColour);
}

} // namespace pathmark::measure
