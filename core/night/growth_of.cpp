#include "core/night/growth_of.h"

#include "core/frame/fits_file.h"
#include "core/night/star_sources.h"
#include "core/stack/stack_header.h"

#include <algorithm>
#include <cmath>

namespace pathmark::night {
namespace {

/// Farther than any circle's ring, in FWHM and pixels.
constexpr double kReachFwhm = 5.0;
constexpr double kReachPixels = 24.0;

/// The part of a picture about a place.
struct Window {
    frame::Image image;
    int x0 = 0;
    int y0 = 0;
};

Result<Window> windowAbout(frame::FitsReader& reader, frame::PixelPos place, int half) {
    const auto from = [&](double at) { return std::max(0, static_cast<int>(at) - half); };
    const auto to = [&](double at, int length) {
        return std::min(length, static_cast<int>(at) + half + 1);
    };
    Window window{{}, from(place.x), from(place.y)};
    const int width = to(place.x, reader.width()) - window.x0;
    const int height = to(place.y, reader.height()) - window.y0;
    if (width <= 0 || height <= 0) {
        return fail(ErrorId::MeasureOutside, "The place is outside the picture.");
    }
    frame::Image rows(reader.width(), height);
    if (auto read = reader.rows(window.y0, rows.pixels()); !read) {
        return fail(read.error());
    }
    window.image = frame::Image(width, height);
    for (int y = 0; y < height; ++y) {
        const auto row = rows.row(y).subspan(static_cast<std::size_t>(window.x0),
                                             static_cast<std::size_t>(width));
        std::copy(row.begin(), row.end(), window.image.row(y).begin());
    }
    return window;
}

/// What is known of the picture of a measurement, but for its pixels.
measure::Picture pictureOf(const MeasurementRecord& m,
                           const LightRecord& light,
                           const frame::Header& header,
                           const frame::Wcs& wcs) {
    measure::Picture picture;
    picture.wcs = wcs;
    picture.exposureSeconds = m.exposureSeconds;
    if (m.onStack) {
        picture.shape = detect::Moffat::round(m.fwhmPixels, light.shape.beta);
        picture.noise = header.number(stack::kNoiseKeyword).value_or(light.noiseElectrons);
        picture.lightVariance = header.number(stack::kLightVarianceKeyword).value_or(1.0);
        return picture;
    }
    picture.shape = light.shape;
    picture.starTrailX = light.trailX;
    picture.starTrailY = light.trailY;
    picture.noise = light.noiseElectrons;
    if (light.saturationElectrons > 0.0) {
        picture.saturationElectrons = light.saturationElectrons;
    }
    if (light.photometry) {
        picture.photometry = light.photometry->about(m.pixel, {light.width, light.height});
    }
    return picture;
}

std::vector<measure::StarNearby> starsAbout(const MeasurementRecord& m,
                                            const measure::Picture& picture,
                                            double reachPixels,
                                            const catalog::StarStore& store) {
    std::vector<measure::StarNearby> nearby;
    const double reach = 1.5 * reachPixels * picture.wcs.scaleArcsec();
    const auto stars = store.field(m.sky, Angle::arcsec(reach), m.time);
    if (!stars || !picture.photometry) {
        return nearby;
    }
    for (const catalog::Star& star : *stars) {
        if (const auto pixel = picture.wcs.toPixel(star.place)) {
            nearby.push_back(
                {*pixel, electronsOf(star, *picture.photometry, picture.exposureSeconds), 0.0});
        }
    }
    return nearby;
}

/// How a point that moves as the body does looks on it, and a star.
struct Forms {
    detect::PointSpread body;
    detect::PointSpread star;
};

Forms formsOf(const MeasurementRecord& m, const measure::Picture& picture, int radius) {
    const double angle = m.positionAngleDegrees * kRadiansPerDegree;
    measure::Target target;
    target.predicted = m.sky;
    target.xiRateArcsecPerMin = m.rateArcsecPerMin * std::sin(angle);
    target.etaRateArcsecPerMin = m.rateArcsecPerMin * std::cos(angle);
    target.trailSeconds = m.exposureSeconds;
    const frame::PixelPos way =
        measure::waysOf(picture, target, picture.wcs.toPixel(m.sky).value_or(m.pixel)).front();
    return {detect::PointSpread(picture.shape, way.x, way.y, radius),
            detect::PointSpread(picture.shape, picture.starTrailX, picture.starTrailY, radius)};
}

} // namespace

Result<measure::GrowthCurve> growthOf(const MeasurementRecord& measurement,
                                      const LightRecord& light,
                                      const catalog::StarStore* store) {
    auto reader = frame::FitsReader::open(measurement.picture);
    if (!reader) {
        return fail(reader.error());
    }
    const auto wcs = frame::readWcs(reader->header());
    if (!wcs) {
        return fail(wcs.error());
    }
    measure::Picture picture = pictureOf(measurement, light, reader->header(), *wcs);
    const auto place = wcs->toPixel(measurement.sky);
    if (!place) {
        return fail(ErrorId::MeasureOutside, "The place is outside the picture.");
    }
    const double trail =
        std::hypot(picture.starTrailX, picture.starTrailY) +
        measurement.rateArcsecPerMin * measurement.exposureSeconds / 60.0 / wcs->scaleArcsec();
    const int half =
        static_cast<int>(std::ceil(kReachFwhm * picture.shape.fwhm() + kReachPixels + trail));
    const auto window = windowAbout(*reader, *place, half);
    if (!window) {
        return fail(window.error());
    }
    std::vector<measure::StarNearby> neighbours;
    if (store != nullptr && !measurement.onStack) {
        neighbours = starsAbout(measurement, picture, 2.0 * half, *store);
    }
    for (measure::StarNearby& star : neighbours) {
        star.pixel.x -= window->x0;
        star.pixel.y -= window->y0;
    }
    const Forms forms = formsOf(measurement, picture, half);
    const measure::PointForms both{forms.body, forms.star};
    picture.image = &window->image;
    auto curve = measure::growthCurve(picture,
                                      both,
                                      {place->x - window->x0, place->y - window->y0},
                                      neighbours,
                                      measure::growthRadii(both));
    if (curve && measurement.onStack && measurement.magnitude && curve->flux > 0.0 &&
        measurement.flux > 0.0) {
        // A stack's zero point is that of its measurement.
        curve->magnitude =
            *measurement.magnitude - 2.5 * std::log10(curve->flux / measurement.flux);
        curve->magnitudeError = 1.0857 * curve->error.all() / curve->flux;
    }
    return curve;
}

} // namespace pathmark::night
