#include "core/measure/picture.h"

#include <cmath>

namespace pathmark::measure {

frame::PixelPos
motionInPixels(const Picture& picture, const Target& target, frame::PixelPos at, double seconds) {
    const double minutes = seconds / 60.0;
    const SkyPos later =
        fromTangentPlane(target.predicted,
                         {Angle::arcsec(target.xiRateArcsecPerMin * minutes).radians(),
                          Angle::arcsec(target.etaRateArcsecPerMin * minutes).radians()});
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
    const auto& r = picture.response;
    return r.of(picture.mosaic->colourAt(x, y)) / (0.25 * (r.red + 2.0 + r.blue));
}

double noiseAt(const Picture& picture, int x, int y) {
    return picture.mosaic == nullptr ? picture.noise : picture.mosaic->noise(x, y);
}

void setSkyErrors(const Picture& picture, double xx, double yy, double xy, Measured& measured) {
    const double solution = picture.solutionErrorPixels * picture.solutionErrorPixels;
    const auto& cd = picture.wcs.cd;
    const auto along = [&](double a, double b) {
        return Angle::radians(
                   std::sqrt(a * a * (xx + solution) + 2.0 * a * b * xy + b * b * (yy + solution)))
            .arcsec();
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

void setDeparture(const Target& target, Measured& measured) {
    const PlanePos offset = toTangentPlane(target.predicted, measured.sky);
    measured.observedMinusComputedRa = Angle::radians(offset.xi).arcsec();
    measured.observedMinusComputedDec = Angle::radians(offset.eta).arcsec();
}

} // namespace pathmark::measure
