#include "core/measure/fixed_place.h"

#include "core/base/linear.h"

#include <algorithm>
#include <cmath>

namespace pathmark::measure {
namespace {

using detect::PointSpread;

/// A pixel of the window: what each part of the model leaves in it, and its value.
struct WindowPixel {
    std::vector<double> parts; ///< body, level, then stars whose light is not known
    double value = 0.0;
    double variance = 1.0;
};

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
        for (const StarNearby& near : neighbours) {
            const double distance = std::hypot(near.pixel.x - place.x, near.pixel.y - place.y);
            if (!(distance < half_ + 3.5 * forms.star.fwhm() + forms.star.trailHalf())) {
                continue;
            }
            if (near.flux) {
                add(near);
            } else if (distance > 0.8 * forms.star.fwhm()) {
                unknown_.push_back(&near);
            }
        }
        take(place);
    }

    [[nodiscard]] bool isWhole() const {
        const auto all = static_cast<std::size_t>(side()) * static_cast<std::size_t>(side());
        return pixels_.size() >= std::max(all / 2, 3 * parts());
    }

    [[nodiscard]] FixedLight fit() const;

  private:
    [[nodiscard]] int side() const { return 2 * half_ + 1; }

    [[nodiscard]] std::size_t parts() const { return 2 + unknown_.size(); }

    void add(const StarNearby& near);
    void take(frame::PixelPos place);

    const Picture& picture_;
    const PointForms& forms_;
    int half_;
    int cx_;
    int cy_;
    frame::Image light_;       ///< of the stars whose flux is expected
    frame::Image errorSquare_; ///< of that
    std::vector<const StarNearby*> unknown_;
    std::vector<WindowPixel> pixels_;
};

/// Draws a star once about its own pixel: much cheaper than asking for its light pixel by pixel.
void FixedWindow::add(const StarNearby& near) {
    const int x = static_cast<int>(std::lround(near.pixel.x));
    const int y = static_cast<int>(std::lround(near.pixel.y));
    detect::SpreadPatch patch(std::max(1, forms_.star.radius() - 2));
    forms_.star.addPatch(near.pixel.x - x, near.pixel.y - y, static_cast<float>(*near.flux), patch);
    const auto error = static_cast<float>(std::max(kStarError, near.error));
    for (int dy = -patch.half; dy <= patch.half; ++dy) {
        for (int dx = -patch.half; dx <= patch.half; ++dx) {
            const int i = x + dx - cx_ + half_;
            const int j = y + dy - cy_ + half_;
            if (light_.contains(i, j)) {
                const float light = patch.value[patch.index(dx, dy)];
                light_.at(i, j) += light;
                errorSquare_.at(i, j) += error * error * light * light;
            }
        }
    }
}

void FixedWindow::take(frame::PixelPos place) {
    for (int y = cy_ - half_; y <= cy_ + half_; ++y) {
        for (int x = cx_ - half_; x <= cx_ + half_; ++x) {
            if (!picture_.image->contains(x, y) || !std::isfinite(picture_.image->at(x, y))) {
                continue;
            }
            const double response = responseAt(picture_, x, y);
            const auto light = static_cast<double>(light_.at(x - cx_ + half_, y - cy_ + half_));
            WindowPixel pixel;
            pixel.value = static_cast<double>(picture_.image->at(x, y)) / response - light;
            pixel.variance = std::pow(noiseAt(picture_, x, y) / response, 2) +
                             picture_.lightVariance * light +
                             static_cast<double>(errorSquare_.at(x - cx_ + half_, y - cy_ + half_));
            pixel.parts.push_back(forms_.body.at(x - place.x, y - place.y).value);
            pixel.parts.push_back(1.0);
            for (const StarNearby* near : unknown_) {
                pixel.parts.push_back(forms_.star.at(x - near->pixel.x, y - near->pixel.y).value);
            }
            pixels_.push_back(std::move(pixel));
        }
    }
}

FixedLight FixedWindow::fit() const {
    FixedLight result;
    const auto n = static_cast<Eigen::Index>(parts());
    // The light's own noise is known once the light is: two rounds.
    for (int round = 0; round < 2; ++round) {
        Eigen::MatrixXd left = Eigen::MatrixXd::Zero(n, n);
        Eigen::VectorXd right = Eigen::VectorXd::Zero(n);
        const auto weightOf = [&, flux = std::max(0.0, result.flux)](const WindowPixel& p) {
            return 1.0 / (p.variance + picture_.lightVariance * flux * p.parts[0]);
        };
        for (const WindowPixel& p : pixels_) {
            const double w = weightOf(p);
            for (Eigen::Index a = 0; a < n; ++a) {
                const double wa = w * p.parts[static_cast<std::size_t>(a)];
                right(a) += wa * p.value;
                for (Eigen::Index b = 0; b < n; ++b) {
                    left(a, b) += wa * p.parts[static_cast<std::size_t>(b)];
                }
            }
        }
        const Eigen::VectorXd solved = solveSymmetric(left, right);
        result.flux = solved(0);
        result.fluxError = std::sqrt(inverseOfSymmetric(left)(0, 0));
        double chi = 0.0;
        for (const WindowPixel& p : pixels_) {
            double rest = p.value;
            for (Eigen::Index a = 0; a < n; ++a) {
                rest -= solved(a) * p.parts[static_cast<std::size_t>(a)];
            }
            chi += weightOf(p) * rest * rest;
        }
        result.chiSquare = chi / static_cast<double>(pixels_.size() - parts());
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

} // namespace pathmark::measure
