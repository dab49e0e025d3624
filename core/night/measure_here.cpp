#include "core/night/measure_here.h"

#include "core/catalog/band.h"
#include "core/detect/background.h"
#include "core/measure/fixed_place.h"
#include "core/measure/measure_body.h"
#include "core/night/picture_window.h"

#include <algorithm>
#include <cmath>

namespace pathmark::night {
namespace {

constexpr double kHalfFwhm = 12.0; ///< of what is read: enough for the level of the sky

/// The catalogue's star that stands at a place, the brightest of several.
std::optional<catalog::Star>
starAt(const catalog::StarStore& store, const SkyPos& place, const Utc& time, double withinArcsec) {
    const auto stars = store.field(place, Angle::arcsec(withinArcsec), time);
    if (!stars) {
        return std::nullopt;
    }
    const auto star = std::find_if(stars->begin(), stars->end(), [&](const catalog::Star& s) {
        return separation(s.place, place).arcsec() < withinArcsec;
    });
    return star == stars->end() ? std::nullopt : std::optional(*star);
}

/// The magnitude of three errors of the light at a place.
std::optional<double> limitAt(const PictureWindow& window, const measure::Target& target) {
    const measure::Picture& picture = window.picture;
    const auto light = measure::lightAt(picture, target, window.place);
    if (!light || !picture.photometry || !(light->fluxError > 0.0)) {
        return std::nullopt;
    }
    return solve::toMagnitude(*picture.photometry,
                              measure::kLeastSnr * light->fluxError,
                              picture.exposureSeconds,
                              solve::kBodyColour);
}

void take(const measure::Measured& measured, const PictureWindow& window, MeasurementRecord& m) {
    m.seen = true;
    m.sky = measured.sky;
    m.pixel = {measured.pixel.x + window.corner.x, measured.pixel.y + window.corner.y};
    m.raErrorArcsec = measured.raErrorArcsec;
    m.decErrorArcsec = measured.decErrorArcsec;
    m.snr = measured.snr;
    m.flux = measured.flux;
    m.magnitude = measured.magnitude;
    m.magnitudeError = measured.magnitudeError;
    m.reason = measured.concern;
}

} // namespace

Result<MeasuredHere>
measureHere(const LightRecord& light, const SkyPos& place, const catalog::StarStore* store) {
    const double fwhm = light.shape.fwhm();
    const double half = kHalfFwhm * fwhm + 16.0 + std::hypot(light.trailX, light.trailY);
    auto window = windowOf(light.calibrated, light, false, place, half);
    if (!window) {
        return fail(window.error());
    }
    window->image = detect::Background(window->image).subtractFrom(window->image);
    measure::Target target;
    target.predicted = place;
    target.seenAt = place;
    target.isPlace = true;
    MeasuredHere here;
    const double itself = kItselfFwhm * fwhm;
    if (store != nullptr) {
        target.neighbours = starsAbout(*window, light.middle, itself, *store);
    }
    MeasurementRecord& m = here.record;
    m.frame = light.frame;
    m.picture = light.calibrated;
    m.time = light.middle;
    m.exposureSeconds = light.exposureSeconds;
    m.predicted = place;
    m.sky = place;
    m.fwhmPixels = light.fwhmPixels;
    m.usedStars = light.matchedStars;
    m.band = light.photometry ? std::string(catalog::name(light.photometry->band)) : std::string();
    const auto measured = measure::measureBody(window->ready(), target);
    if (measured) {
        take(*measured, *window, m);
    } else {
        m.reason = measured.error().detail;
    }
    here.limit = limitAt(*window, target);
    if (store != nullptr) {
        here.star = starAt(*store, m.sky, light.middle, itself * light.wcs->scaleArcsec());
    }
    return here;
}

} // namespace pathmark::night
