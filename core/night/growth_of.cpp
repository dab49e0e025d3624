#include "core/night/growth_of.h"

#include "core/base/expects.h"
#include "core/measure/scintillation.h"
#include "core/night/picture_window.h"
#include "core/night/star_sources.h"
#include "core/orbit/place/site_place.h"

#include <algorithm>
#include <cmath>
#include <cstdlib>

namespace pathmark::night {
namespace {

/// Farther than any circle's ring, in FWHM and pixels.
constexpr double kReachFwhm = 5.0;
constexpr double kReachPixels = 24.0;

/// How a point that moves as the body does looks on a picture, and a star.
struct Forms {
    detect::PointSpread body;
    detect::PointSpread star;
};

Forms formsOf(const MeasurementRecord& m, const PictureWindow& window, int radius) {
    const measure::Picture& picture = window.picture;
    const double angle = m.positionAngleDegrees * kRadiansPerDegree;
    measure::Target target;
    target.predicted = m.sky;
    target.xiRateArcsecPerMin = m.rateArcsecPerMin * std::sin(angle);
    target.etaRateArcsecPerMin = m.rateArcsecPerMin * std::cos(angle);
    target.trailSeconds = m.exposureSeconds;
    const frame::PixelPos way = measure::waysOf(picture, target, window.place).front();
    return {detect::PointSpread(picture.shape, way.x, way.y, radius),
            detect::PointSpread(picture.shape, picture.starTrailX, picture.starTrailY, radius)};
}

/// Relative, of the light of a measurement; 0: not known.
double scintillationOf(const MeasurementRecord& m, const Station& station) {
    const double seconds = m.exposureSeconds * std::max(1, m.frames);
    if (!(station.apertureMetres > 0.0) || !(seconds > 0.0)) {
        return 0.0;
    }
    const Vec3 up = orbit::sitePlace(station.site, m.time).position;
    const double sine = dot(up, m.sky.vector()) / norm(up);
    return measure::scintillation(
        {station.apertureMetres, station.site.altitudeMetres, measure::airmassAt(sine), seconds});
}

} // namespace

Station stationOf(const Recipe& recipe) {
    // How high a star stands is known of a known site alone.
    return {recipe.site,
            recipe.siteKnown ? std::strtod(recipe.head.aperture.c_str(), nullptr) : 0.0};
}

Result<Growth> growthOf(const MeasurementRecord& measurement,
                        const LightRecord& light,
                        const catalog::StarStore* store,
                        const Station& station) {
    PATHMARK_EXPECTS(light.solved());
    const double way = measurement.rateArcsecPerMin * measurement.exposureSeconds / 60.0;
    const double trail = std::hypot(light.trailX, light.trailY) + way / light.wcs->scaleArcsec();
    const double half = kReachFwhm * light.shape.fwhm() + kReachPixels + trail;
    auto window = windowOf(measurement.picture, light, measurement.onStack, measurement.sky, half);
    if (!window) {
        return fail(window.error());
    }
    if (measurement.onStack) {
        window->picture.shape = detect::Moffat::round(measurement.fwhmPixels, light.shape.beta);
    }
    std::vector<measure::StarNearby> neighbours;
    if (store != nullptr && !measurement.onStack) {
        const double itself = measurement.body.isKnown() ? 0.0 : kItselfFwhm * light.shape.fwhm();
        neighbours = starsAbout(*window, measurement.time, itself, *store);
    }
    window->picture.scintillation = scintillationOf(measurement, station);
    const Forms forms = formsOf(measurement, *window, static_cast<int>(std::ceil(half)));
    const measure::PointForms both{forms.body, forms.star};
    auto curve = measure::growthCurve(
        window->ready(), both, window->place, neighbours, measure::growthRadii(both));
    if (!curve) {
        return fail(curve.error());
    }
    if (measurement.onStack && measurement.magnitude && curve->flux > 0.0 &&
        measurement.flux > 0.0) {
        // A stack's zero point is that of its measurement.
        curve->magnitude =
            *measurement.magnitude - 2.5 * std::log10(curve->flux / measurement.flux);
        curve->magnitudeError = 1.0857 * curve->error.all() / curve->flux;
    }
    return Growth{std::move(*curve), window->picture.wcs.scaleArcsec()};
}

} // namespace pathmark::night
