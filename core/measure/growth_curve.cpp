#include "core/measure/growth_curve.h"

#include "core/base/expects.h"
#include "core/base/robust.h"
#include "core/measure/aperture.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace pathmark::measure {
namespace {

using detect::PointSpread;

constexpr double kRingGap = 2.0;      ///< pixels between the largest circle and the ring
constexpr double kRingPixels = 600.0; ///< whose mean is sure to a twenty-fifth of a pixel's noise
constexpr double kReached = 0.3; ///< of a pixel's noise, light of a neighbour that spoils the sky
constexpr double kBlended = 0.01;

/// A pixel of what is measured, neighbours taken off.
struct PixelAbout {
    double distance = 0.0;
    double dx = 0.0;
    double dy = 0.0;
    double value = 0.0;      ///< electrons
    double own = 0.0;        ///< share of the body's light in it
    double noise = 0.0;      ///< of the sky
    double neighbours = 0.0; ///< light taken off
    double doubt = 0.0;      ///< of that light, one standard deviation
    bool isSaturated = false;
};

/// The neighbours whose light is known and may reach the picture's part in hand.
std::vector<StarNearby>
reaching(std::span<const StarNearby> neighbours, frame::PixelPos place, double reach) {
    std::vector<StarNearby> near;
    for (const StarNearby& star : neighbours) {
        if (star.flux && std::hypot(star.pixel.x - place.x, star.pixel.y - place.y) < reach) {
            near.push_back(star);
        }
    }
    return near;
}

std::vector<PixelAbout> pixelsAbout(const Picture& picture,
                                    const PointForms& forms,
                                    frame::PixelPos place,
                                    const std::vector<StarNearby>& neighbours,
                                    double reach) {
    const int half = static_cast<int>(std::ceil(reach));
    const int cx = static_cast<int>(std::lround(place.x));
    const int cy = static_cast<int>(std::lround(place.y));
    std::vector<PixelAbout> pixels;
    for (int y = cy - half; y <= cy + half; ++y) {
        for (int x = cx - half; x <= cx + half; ++x) {
            PixelAbout p;
            p.dx = x - place.x;
            p.dy = y - place.y;
            p.distance = std::hypot(p.dx, p.dy);
            if (p.distance > reach + 1.0 || !picture.image->contains(x, y) ||
                !std::isfinite(picture.image->at(x, y))) {
                continue;
            }
            const double response = responseAt(picture, x, y);
            const auto raw = static_cast<double>(picture.image->at(x, y));
            p.isSaturated = raw > picture.saturationElectrons;
            p.value = raw / response;
            p.noise = noiseAt(picture, x, y) / response;
            p.own = forms.body.at(p.dx, p.dy).value;
            double doubt = 0.0;
            for (const StarNearby& star : neighbours) {
                const double light =
                    *star.flux * forms.star.at(x - star.pixel.x, y - star.pixel.y).value;
                p.neighbours += light;
                doubt += std::max(kStarError, star.error) * light;
            }
            p.value -= p.neighbours;
            p.doubt = doubt; // of one star the same way in all its pixels
            pixels.push_back(p);
        }
    }
    return pixels;
}

/// Sums over a circle.
struct Circle {
    double area = 0.0;
    double light = 0.0;
    double share = 0.0;
    double shareSquare =
        0.0; ///< what the variance of the body's photons comes by: of a pixel on the rim a part is taken
    double ownSquare = 0.0;  ///< of the pixels' shares of the body's light
    double squareArea = 0.0; ///< what the variance of what all pixels have alike comes by
    double noiseSquare = 0.0;
    double neighbours = 0.0;
    double doubt = 0.0;
    bool isSaturated = false;
};

Circle within(const std::vector<PixelAbout>& pixels, double radius) {
    Circle circle;
    for (const PixelAbout& p : pixels) {
        const double inside = shareInside(p.dx, p.dy, radius);
        if (inside <= 0.0) {
            continue;
        }
        circle.area += inside;
        circle.light += inside * p.value;
        circle.share += inside * p.own;
        circle.shareSquare += inside * inside * p.own;
        circle.ownSquare += inside * inside * p.own * p.own;
        circle.squareArea += inside * inside;
        circle.noiseSquare += inside * inside * p.noise * p.noise;
        circle.neighbours += inside * p.neighbours;
        circle.doubt += inside * p.doubt;
        circle.isSaturated = circle.isSaturated || p.isSaturated;
    }
    return circle;
}

/// The sky in a ring.
struct Sky {
    double level = 0.0;
    double error = 0.0;
    double ownShare = 0.0; ///< of the body's light in a pixel of it
    int pixels = 0;
};

Sky skyIn(const std::vector<PixelAbout>& pixels, double inner, double outer) {
    std::vector<float> values;
    Sky sky;
    for (const PixelAbout& p : pixels) {
        if (p.distance >= inner && p.distance < outer && p.neighbours < kReached * p.noise) {
            values.push_back(static_cast<float>(p.value));
            sky.ownShare += p.own;
        }
    }
    sky.pixels = static_cast<int>(values.size());
    if (values.empty()) {
        return sky;
    }
    sky.ownShare /= static_cast<double>(values.size());
    const RobustMoments moments = clippedMoments(values);
    sky.level = moments.centre;
    sky.error = moments.sigma / std::sqrt(static_cast<double>(std::max(1, moments.kept)));
    return sky;
}

/// A ring of enough pixels about the largest circle.
double ringOuter(double inner) {
    return std::sqrt(inner * inner + kRingPixels / std::numbers::pi);
}

/// The parts of the error of a circle's light where that of the whole body is `flux`.
ErrorParts partsOf(const Picture& picture, const Circle& circle, const Sky& sky, double flux) {
    const double light = std::max(0.0, flux);
    const double reading =
        std::min(circle.noiseSquare, picture.readNoise * picture.readNoise * circle.squareArea);
    return {std::sqrt(picture.lightVariance * light * circle.shareSquare),
            std::sqrt(circle.noiseSquare - reading + picture.lightVariance * circle.neighbours),
            std::sqrt(reading),
            circle.area * sky.error,
            circle.doubt,
            picture.flatError * light * std::sqrt(circle.ownSquare),
            picture.scintillation * light * circle.share};
}

} // namespace

double ErrorParts::all() const {
    double square = 0.0;
    for (const double part : {light, sky, reading, level, neighbours, flat, scintillation}) {
        square += part * part;
    }
    return std::sqrt(square);
}

ErrorParts ErrorParts::times(double factor) const {
    return {factor * light,
            factor * sky,
            factor * reading,
            factor * level,
            factor * neighbours,
            factor * flat,
            factor * scintillation};
}

std::vector<double> growthRadii(const PointForms& forms) {
    std::vector<double> radii;
    constexpr int count = 16;
    constexpr double smallest = 0.4; // of the FWHM
    constexpr double largest = 3.0;
    const double fwhm = forms.body.fwhm();
    for (int k = 0; k < count; ++k) {
        const double part = static_cast<double>(k) / (count - 1);
        radii.push_back(fwhm * smallest * std::pow(largest / smallest, part) +
                        part * forms.body.trailHalf());
    }
    return radii;
}

Result<GrowthCurve> growthCurve(const Picture& picture,
                                const PointForms& forms,
                                frame::PixelPos place,
                                std::span<const StarNearby> neighbours,
                                std::span<const double> radii) {
    PATHMARK_EXPECTS(!radii.empty());
    GrowthCurve curve;
    curve.ringInner = radii.back() + kRingGap;
    curve.ringOuter = ringOuter(curve.ringInner);
    const auto near = reaching(neighbours, place, curve.ringOuter + forms.star.radius());
    const auto pixels = pixelsAbout(picture, forms, place, near, curve.ringOuter);
    const Sky sky = skyIn(pixels, curve.ringInner, curve.ringOuter);
    const double smallest = std::numbers::pi * radii.front() * radii.front();
    if (within(pixels, radii.front()).area < 0.95 * smallest || sky.pixels < 0.25 * kRingPixels) {
        return fail(ErrorId::MeasureOutside, "The source is too near the edge of the picture.");
    }
    std::vector<Circle> circles;
    for (const double radius : radii) {
        circles.push_back(within(pixels, radius));
    }
    // The light that the ring has of the body is known once the body's is: F = (light - area level) / (share - area own share).
    const auto ofAll = [&](const Circle& c) {
        return (c.light - c.area * sky.level) / (c.share - c.area * sky.ownShare);
    };
    double expected = 0.0;
    for (int round = 0; round < 2; ++round) {
        // First by the circle that is best for the faintest, then by the best one for the light found.
        double highest = 0.0;
        for (std::size_t k = 0; k < circles.size(); ++k) {
            const double share = circles[k].share;
            const double error = partsOf(picture, circles[k], sky, expected).all();
            if (share / error > highest) {
                highest = share / error;
                curve.best = k;
            }
        }
        expected = ofAll(circles[curve.best]);
    }
    curve.flux = expected;
    curve.skyLevel = sky.level - expected * sky.ownShare;
    for (std::size_t k = 0; k < circles.size(); ++k) {
        const Circle& c = circles[k];
        CircleLight light;
        light.radius = radii[k];
        light.share = c.share;
        light.flux = c.light - c.area * curve.skyLevel;
        light.error = partsOf(picture, c, sky, curve.flux).all();
        light.expectedSnr = std::max(0.0, curve.flux) * c.share / light.error;
        curve.circles.push_back(light);
    }
    const Circle& best = circles[curve.best];
    const double toAll = 1.0 / (best.share - best.area * sky.ownShare);
    curve.error = partsOf(picture, best, sky, expected).times(toAll);
    curve.isBlended = best.neighbours > kBlended * std::abs(best.share * expected);
    curve.isSaturated = best.isSaturated;
    Measured measured;
    measured.flux = curve.flux;
    measured.fluxError = curve.error.all();
    setBrightness(picture, measured);
    curve.magnitude = measured.magnitude;
    curve.magnitudeError = measured.magnitudeError;
    return curve;
}

} // namespace pathmark::measure
