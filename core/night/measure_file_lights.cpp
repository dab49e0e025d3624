#include "core/base/parallel.h"
#include "core/base/point_grid.h"
#include "core/measure/growth_curve.h"
#include "core/measure/measure_body.h"
#include "core/night/measure_file.h"
#include "core/night/star_sources.h"

#include <array>
#include <cmath>

// The light of many places of a file, by one measure: what light curves are made of.
namespace pathmark::night {
namespace {

/// Of a light: what a star beside it may shine into it, the catalogue's share taken off.
constexpr double kBlendedShare = 0.1;
constexpr double kPassingShare = 0.01; ///< the same of a body, which it passes in a frame or two

} // namespace

/// What the pixels at a place say of it.
void MeasurableFile::markPixels(frame::PixelPos place, PlaceLight& light) const {
    const int x = static_cast<int>(std::lround(place.x));
    const int y = static_cast<int>(std::lround(place.y));
    for (int j = y - 1; j <= y + 1; ++j) {
        for (int i = x - 1; i <= x + 1; ++i) {
            const float v = electrons_.at(i, j);
            light.flags |= std::isfinite(v) ? 0U : static_cast<unsigned>(kLightDefect);
            if (static_cast<double>(v) >= picture_.saturationElectrons) {
                light.flags |= kLightSaturated;
            }
        }
    }
}

/// Nothing where it could not be measured.
std::optional<MeasurableFile::PlaceLight>
MeasurableFile::lightBy(const LightMethod& method,
                        const measure::PointForms& forms,
                        frame::PixelPos place,
                        std::span<const measure::StarNearby> nearby) const {
    measure::Picture picture = picture_;
    picture.image = &withoutSky_;
    if (method.kind == LightMethod::Kind::Profile) {
        const auto fitted = measure::lightAt(picture, forms, place, nearby);
        return fitted ? std::optional(PlaceLight{fitted->flux, fitted->fluxError, 0})
                      : std::nullopt;
    }
    std::vector<double> radii;
    if (method.kind == LightMethod::Kind::Best) {
        radii = measure::growthRadii(forms);
    } else {
        const double unit = method.kind == LightMethod::Kind::Widths
                                ? forms.body.fwhm()
                                : 1.0 / picture_.wcs.scaleArcsec();
        radii = {method.radius * unit + forms.body.trailHalf()};
    }
    const auto curve = measure::growthCurve(picture, forms, place, nearby, radii);
    return curve ? std::optional(PlaceLight{curve->flux, curve->error.all(), 0}) : std::nullopt;
}

MeasurableFile::PlaceLight MeasurableFile::lightOf(std::span<const MixedForms> forms,
                                                   frame::PixelPos place,
                                                   std::span<const measure::StarNearby> nearby,
                                                   unsigned blend,
                                                   const LightMethod& method) const {
    PlaceLight light{std::nan(""), 0.0, 0};
    const int x = static_cast<int>(std::lround(place.x));
    const int y = static_cast<int>(std::lround(place.y));
    if (!electrons_.contains(x - 3, y - 3) || !electrons_.contains(x + 3, y + 3)) {
        light.flags = kLightEdge;
        return light;
    }
    light.flux = 0.0;
    for (const MixedForms& mixed : forms) {
        const auto part = lightBy(method, mixed.forms, place, nearby);
        if (!part) {
            return {std::nan(""), 0.0, kLightEdge};
        }
        light.flux += mixed.weight * part->flux;
        light.error += mixed.weight * part->error;
    }
    markPixels(place, light);
    const double fwhm = picture_.shape.fwhm();
    const detect::PointSpread& star = forms.front().forms.star;
    for (const measure::StarNearby& near : nearby) {
        const double distance = std::hypot(near.pixel.x - place.x, near.pixel.y - place.y);
        if (distance < 2.5 * fwhm && near.flux) {
            const double overlap = star.at(distance, 0.0).value / star.at(0.0, 0.0).value;
            const double most = blend == kLightPassingStar ? kPassingShare : kBlendedShare;
            if (*near.flux * overlap > most * light.flux) {
                light.flags |= blend;
            }
        }
    }
    return light;
}

std::vector<MeasurableFile::PlaceLight> MeasurableFile::starLights(
    std::span<const catalog::Star> field, std::size_t count, const LightMethod& method) const {
    std::vector<std::optional<measure::StarNearby>> stars;
    stars.reserve(field.size());
    for (const catalog::Star& star : field) {
        stars.push_back(starOn(picture_, star));
    }
    const detect::PointSpread spread(picture_.shape, picture_.starTrailX, picture_.starTrailY);
    const double reach =
        (1.5 * picture_.windowFwhm + 3.5) * picture_.shape.fwhm() + spread.trailHalf();
    // Fainter ones are lost in the noise of a pixel.
    const double least = 0.3 * picture_.noise / std::max(1e-6, spread.at(0.0, 0.0).value);

    struct Point {
        double x;
        double y;
        std::size_t star;
    };

    std::vector<Point> points;
    const double right = electrons_.width() + reach;
    const double top = electrons_.height() + reach;
    for (std::size_t i = 0; i < stars.size(); ++i) {
        if (!stars[i]) {
            continue;
        }
        const auto& p = stars[i]->pixel;
        if (stars[i]->flux.value_or(0.0) > least && p.x > -reach && p.y > -reach && p.x < right &&
            p.y < top) {
            points.push_back({p.x, p.y, i});
        }
    }
    const PointGrid grid(points, reach, -reach, -reach, right, top);
    std::vector<PlaceLight> lights(count);
    parallelFor(count, [&](std::size_t i) {
        if (!stars[i]) {
            lights[i] = {std::nan(""), 0.0, kLightEdge};
            return;
        }
        std::vector<measure::StarNearby> nearby;
        grid.forNear(stars[i]->pixel.x, stars[i]->pixel.y, reach, [&](std::size_t k, double) {
            if (points[k].star != i) {
                nearby.push_back(*stars[points[k].star]);
            }
        });
        std::vector<MixedForms> forms;
        if (spread_) {
            for (const auto& share : spread_->sharesAt(stars[i]->pixel.x, stars[i]->pixel.y)) {
                forms.push_back({{*share.spread, *share.spread}, share.weight});
            }
        } else {
            forms.push_back({{spread, spread}, 1.0});
        }
        lights[i] = lightOf(forms, stars[i]->pixel, nearby, kLightBlend, method);
    });
    return lights;
}

MeasurableFile::PlaceLight MeasurableFile::bodyLight(const measure::Target& target,
                                                     std::span<const catalog::Star> field,
                                                     const LightMethod& method) const {
    measure::Target sought = target;
    addMotion(sought);
    const auto predicted = picture_.wcs.toPixel(sought.predicted);
    if (!predicted) {
        return {std::nan(""), 0.0, kLightEdge};
    }
    const double reach = 12.0 * picture_.shape.fwhm();
    // Twice as far on the sky as in pixels: no distortion is that large, and few stars need to be placed.
    const double arcsec = 2.0 * reach * picture_.wcs.scaleArcsec();
    for (const catalog::Star& star : field) {
        if (separation(star.place, sought.predicted).arcsec() > arcsec || isItself(sought, star)) {
            continue;
        }
        const auto near = starOn(picture_, star);
        if (near &&
            std::hypot(near->pixel.x - predicted->x, near->pixel.y - predicted->y) < reach) {
            sought.neighbours.push_back(*near);
        }
    }
    const measure::Picture picture = pictureAt(sought.predicted);
    const auto found = measure::measureBody(picture, sought);
    const frame::PixelPos place = found ? found->pixel : *predicted;
    const auto way = measure::waysOf(picture, sought, *predicted).front();
    const detect::PointSpread body(picture.shape, way.x, way.y);
    const detect::PointSpread star(picture.shape, picture.starTrailX, picture.starTrailY);
    return lightOf(std::array{MixedForms{{body, star}, 1.0}},
                   place,
                   sought.neighbours,
                   kLightPassingStar,
                   method);
}

} // namespace pathmark::night
