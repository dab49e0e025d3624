#include "core/measure/picture.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace pathmark::measure {

Result<frame::PixelPos>
predictedOn(const frame::Image& image, const Picture& picture, const Target& target) {
    const auto predicted = picture.wcs.toPixel(target.lookedFor());
    if (!predicted || !image.contains(static_cast<int>(std::lround(predicted->x)),
                                      static_cast<int>(std::lround(predicted->y)))) {
        return fail(ErrorId::MeasureOutside, "The predicted place is outside the picture.");
    }
    return *predicted;
}

double starPlaceError(const Picture& picture) {
    return std::hypot(picture.solutionErrorPixels, kStarPlaceError);
}

double wingReach(const Picture& picture, double flux) {
    constexpr double unseen =
        0.03; // of a pixel's noise; over a fit's window its slope moves a place by a tenth of the error
    constexpr double nearest = 3.5;
    const double fwhm = picture.shape.fwhm();
    return std::clamp(picture.shape.lightRadius(flux, unseen * picture.noise) + fwhm,
                      nearest * fwhm,
                      kFarthestWingFwhm * fwhm);
}

bool isPlaceSeen(const Picture& picture, double flux) {
    // A point's place is sure to half its width over its S/N; its light stands on some 2.3 FWHM^2 pixels.
    const double fwhm = picture.shape.fwhm();
    const double noise =
        std::sqrt(picture.lightVariance * flux + 2.3 * fwhm * fwhm * picture.noise * picture.noise);
    constexpr double share = 0.3;
    return starPlaceError(picture) > share * 0.5 * fwhm * noise / flux;
}

double searchArcsecOn(const Picture& picture) {
    constexpr double least = 5.0; // arcsec
    constexpr double widths = 2.5;
    return std::max(least, widths * picture.shape.fwhm() * picture.wcs.scaleArcsec());
}

double leastSeen(const Target& target) {
    return target.seenAt ? kLeastSnr : target.area().threshold(kLeastSnr);
}

tl::unexpected<Error> notSeen(const Target& target) {
    return fail(
        ErrorId::MeasureNotSeen,
        fmt::format("Nothing above {:.3g} sigma within {:.1f} arcsec of the predicted place.",
                    leastSeen(target),
                    target.area().reachArcsec()));
}

frame::PixelPos
motionInPixels(const Picture& picture, const Target& target, frame::PixelPos at, double seconds) {
    const double minutes = seconds / 60.0;
    const SkyPos later = offsetBy(target.lookedFor(),
                                  target.xiRateArcsecPerMin * minutes,
                                  target.etaRateArcsecPerMin * minutes);
    const auto moved = picture.wcs.toPixel(later);
    return moved ? frame::PixelPos{moved->x - at.x, moved->y - at.y} : frame::PixelPos{};
}

std::vector<frame::PixelPos>
waysOf(const Picture& picture, const Target& target, frame::PixelPos at) {
    const frame::PixelPos own = motionInPixels(picture, target, at, target.trailSeconds);
    if (std::hypot(picture.starTrailX, picture.starTrailY) < 1.0) {
        return {own};
    }
    return {{own.x + picture.starTrailX, own.y + picture.starTrailY},
            {own.x - picture.starTrailX, own.y - picture.starTrailY}};
}

double responseAt(const Picture& picture, int x, int y) {
    if (picture.mosaic == nullptr) {
        return 1.0;
    }
    return picture.response.of(picture.mosaic->colourAt(x, y)) / picture.response.mean();
}

double noiseAt(const Picture& picture, int x, int y) {
    return picture.mosaic == nullptr ? picture.noise : picture.mosaic->noise(x, y);
}

void setPlace(const Picture& picture,
              const Target& target,
              const FittedPlace& place,
              Measured& measured) {
    measured.pixel = place.pixel;
    measured.sky = picture.wcs.toSky(place.pixel);
    const double xx = place.xError * place.xError;
    const double yy = place.yError * place.yError;
    const double xy = place.xyCovariance;
    const double solution = picture.solutionErrorPixels * picture.solutionErrorPixels;
    const auto& cd = picture.wcs.cd;
    const auto along = [&](double a, double b) {
        return Angle::radians(
                   std::sqrt(a * a * (xx + solution) + 2.0 * a * b * xy + b * b * (yy + solution)))
            .arcsec();
    };
    measured.raErrorArcsec = along(cd[0], cd[1]);
    measured.decErrorArcsec = along(cd[2], cd[3]);
    const PlanePos offset = toTangentPlane(target.predicted, measured.sky);
    measured.observedMinusComputedRa = Angle::radians(offset.xi).arcsec();
    measured.observedMinusComputedDec = Angle::radians(offset.eta).arcsec();
}

void setBrightness(const Picture& picture, Measured& measured) {
    if (!picture.photometry || !(measured.flux > 0.0)) {
        return;
    }
    measured.magnitude = solve::toMagnitude(
        *picture.photometry, measured.flux, picture.exposureSeconds, solve::kBodyColour);
    measured.magnitudeError = std::hypot(1.0857 * measured.fluxError / measured.flux,
                                         picture.photometry->zeroPointError,
                                         picture.photometry->unexplained);
}

} // namespace pathmark::measure
