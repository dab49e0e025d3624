#include "core/measure/measure_body.h"

#include "core/detect/point_fit.h"
#include "core/measure/aperture.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace pathmark::measure {
namespace {

using detect::PointSpread;
using frame::PixelPos;

constexpr double kLeastSnr = 3.0;

/// The way of the body during one exposure, in pixels.
PixelPos trailOf(const Picture& picture, const Target& target, PixelPos at) {
    const double minutes = target.trailSeconds / 60.0;
    const SkyPos later = fromTangentPlane(
        target.predicted,
        {Angle::arcsec(target.xiRateArcsecPerMin * minutes).radians(),
         Angle::arcsec(target.etaRateArcsecPerMin * minutes).radians()});
    const auto moved = picture.wcs.toPixel(later);
    return moved ? PixelPos{moved->x - at.x, moved->y - at.y} : PixelPos{};
}

/// Signal-to-noise of a point source placed at a pixel, from a plain correlation.
double filterAt(const frame::Image& image, const PointSpread& spread, double noise, int x, int y) {
    const int half = std::min(spread.radius(),
                              static_cast<int>(std::ceil(1.5 * spread.fwhm() + spread.trailHalf())));
    double sum = 0.0;
    double squares = 0.0;
    for (int j = -half; j <= half; ++j) {
        for (int i = -half; i <= half; ++i) {
            if (!image.contains(x + i, y + j) || !std::isfinite(image.at(x + i, y + j))) {
                continue;
            }
            const double p = spread.at(i, j).value;
            sum += p * static_cast<double>(image.at(x + i, y + j));
            squares += p * p;
        }
    }
    return squares > 0.0 ? sum / (noise * std::sqrt(squares)) : 0.0;
}

struct Found {
    int x = 0;
    int y = 0;
    double snr = 0.0;
};

/// The most likely pixel: bright in the filter, near the prediction, not on a catalogue star.
std::optional<Found> findPeak(const Picture& picture,
                              const Target& target,
                              const PointSpread& spread,
                              PixelPos predicted) {
    const double radius = std::max(2.0, target.searchArcsec / picture.wcs.scaleArcsec());
    const int reach = static_cast<int>(std::ceil(radius));
    const int cx = static_cast<int>(std::lround(predicted.x));
    const int cy = static_cast<int>(std::lround(predicted.y));
    const int side = 2 * reach + 3;
    std::vector<double> snr(static_cast<std::size_t>(side) * static_cast<std::size_t>(side));
    const auto at = [&](int i, int j) -> double& {
        return snr[static_cast<std::size_t>(j + reach + 1) * static_cast<std::size_t>(side) +
                   static_cast<std::size_t>(i + reach + 1)];
    };
    for (int j = -reach - 1; j <= reach + 1; ++j) {
        for (int i = -reach - 1; i <= reach + 1; ++i) {
            at(i, j) = filterAt(*picture.image, spread, picture.noise, cx + i, cy + j);
        }
    }
    std::optional<Found> best;
    double bestScore = 0.0;
    for (int j = -reach; j <= reach; ++j) {
        for (int i = -reach; i <= reach; ++i) {
            const double v = at(i, j);
            const double distance = std::hypot(cx + i - predicted.x, cy + j - predicted.y);
            bool highest = v >= kLeastSnr && distance <= radius;
            for (int q = -1; q <= 1 && highest; ++q) {
                for (int p = -1; p <= 1; ++p) {
                    highest = highest && at(i + p, j + q) <= v;
                }
            }
            if (!highest) {
                continue;
            }
            const bool onStar = std::any_of(
                target.neighbours.begin(), target.neighbours.end(), [&](const PixelPos& star) {
                    return std::hypot(star.x - cx - i, star.y - cy - j) < 0.8 * spread.fwhm() &&
                           std::hypot(star.x - predicted.x, star.y - predicted.y) >
                               0.8 * spread.fwhm();
                });
            // The prior of the prediction: half the search radius as one sigma.
            const double score = v * std::exp(-2.0 * distance * distance / (radius * radius));
            if (!onStar && score > bestScore) {
                bestScore = score;
                best = Found{cx + i, cy + j, v};
            }
        }
    }
    return best;
}

/// Position error along right ascension and declination from that along x and y.
void setSkyErrors(const Picture& picture, const detect::PointFit& fit, Measured& measured) {
    const double solution = picture.solutionErrorPixels;
    const double xx = fit.xError * fit.xError + solution * solution;
    const double yy = fit.yError * fit.yError + solution * solution;
    const double xy = fit.xyCovariance;
    const auto& cd = picture.wcs.cd;
    const auto along = [&](double a, double b) {
        return Angle::radians(std::sqrt(a * a * xx + 2.0 * a * b * xy + b * b * yy)).arcsec();
    };
    measured.raErrorArcsec = along(cd[0], cd[1]);
    measured.decErrorArcsec = along(cd[2], cd[3]);
}

void setBrightness(const Picture& picture, Measured& measured) {
    if (!picture.photometry || !(measured.flux > 0.0)) {
        return;
    }
    measured.magnitude = solve::toMagnitude(
        *picture.photometry, measured.flux, picture.exposureSeconds, solve::kBodyColour);
    measured.magnitudeError =
        std::hypot(1.0857 * measured.fluxError / measured.flux, picture.photometry->zeroPointError);
}

std::string concernOf(const Picture& picture,
                      const Target& target,
                      const PointSpread& spread,
                      const Measured& measured) {
    for (const PixelPos& star : target.neighbours) {
        const double distance = std::hypot(star.x - measured.pixel.x, star.y - measured.pixel.y);
        if (distance < 0.8 * spread.fwhm()) {
            return fmt::format("a catalogue star lies {:.1f} pixels away", distance);
        }
    }
    const int x = static_cast<int>(std::lround(measured.pixel.x));
    const int y = static_cast<int>(std::lround(measured.pixel.y));
    if (picture.image->contains(x, y) &&
        static_cast<double>(picture.image->at(x, y)) > picture.saturationElectrons) {
        return "saturated";
    }
    if (measured.chiSquare > 3.0 && !target.comet) {
        return fmt::format("the fit is poor (reduced chi-square {:.1f})", measured.chiSquare);
    }
    return {};
}

} // namespace

Result<Measured> measureBody(const Picture& picture, const Target& target) {
    PATHMARK_EXPECTS(picture.image != nullptr && picture.noise > 0.0);
    const auto predicted = picture.wcs.toPixel(target.predicted);
    if (!predicted || !picture.image->contains(static_cast<int>(std::lround(predicted->x)),
                                               static_cast<int>(std::lround(predicted->y)))) {
        return fail(ErrorId::MeasureOutside, "The predicted place is outside the picture.");
    }
    const PixelPos trail = trailOf(picture, target, *predicted);
    const PointSpread spread(picture.shape, trail.x, trail.y);
    const auto peak = findPeak(picture, target, spread, *predicted);
    if (!peak) {
        return fail(ErrorId::MeasureNotSeen,
                    fmt::format("Nothing above {:.0f} sigma within {:.1f} arcsec of the predicted place.",
                                kLeastSnr,
                                target.searchArcsec));
    }
    detect::PointFitOptions options;
    options.noise = picture.noise;
    options.windowFwhm = target.comet ? 1.2 : 2.0;
    options.maxShift = std::max(2.0, spread.fwhm());
    std::vector<detect::Neighbour> neighbours;
    for (const PixelPos& star : target.neighbours) {
        const double distance = std::hypot(star.x - peak->x, star.y - peak->y);
        if (distance < 3.5 * spread.fwhm() + spread.trailHalf() && distance > 0.8 * spread.fwhm()) {
            neighbours.push_back({star.x, star.y});
        }
    }
    auto fit = detect::fitPoint(*picture.image, spread, peak->x, peak->y, neighbours, options);
    if (!fit) {
        return fail(fit.error());
    }
    Measured measured;
    measured.pixel = {fit->x, fit->y};
    measured.sky = picture.wcs.toSky(measured.pixel);
    measured.flux = fit->flux;
    measured.fluxError = fit->fluxError;
    measured.snr = fit->flux / fit->fluxError;
    measured.chiSquare = fit->chiSquare;
    if (!(measured.snr >= kLeastSnr)) {
        return fail(ErrorId::MeasureNotSeen, "The light found there is below 3 sigma.");
    }
    if (target.comet) {
        const double radius = 3.0 * spread.fwhm();
        auto light = apertureFlux(
            *picture.image, measured.pixel, radius, 3.0 * radius, 4.0 * radius, picture.noise);
        if (light && light->flux > 0.0) {
            measured.flux = light->flux;
            measured.fluxError = light->fluxError;
        }
    }
    setSkyErrors(picture, *fit, measured);
    setBrightness(picture, measured);
    const PlanePos offset = toTangentPlane(target.predicted, measured.sky);
    measured.observedMinusComputedRa = Angle::radians(offset.xi).arcsec();
    measured.observedMinusComputedDec = Angle::radians(offset.eta).arcsec();
    measured.concern = concernOf(picture, target, spread, measured);
    return measured;
}

} // namespace pathmark::measure
