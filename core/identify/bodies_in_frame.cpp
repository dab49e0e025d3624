#include "core/identify/bodies_in_frame.h"

#include "core/catalog/band.h"

#include <algorithm>
#include <cmath>
#include <tuple>

namespace pathmark::identify {

double predictedSnr(const FrameDepth& depth, double magnitudeV, double rateArcsecPerMin) {
    // The body's magnitude in the observing band, by the difference the band relation gives its colour.
    const double inBand = magnitudeV +
                          catalog::toBand(depth.photometry.band, 0.0, solve::kBodyColour) -
                          catalog::toBand(catalog::Band::V, 0.0, solve::kBodyColour);
    const double signal =
        solve::toElectrons(depth.photometry, inBand, depth.exposureSeconds, solve::kBodyColour);
    const double trail =
        rateArcsecPerMin * depth.exposureSeconds / 60.0 / std::max(depth.scaleArcsec, 1e-6);
    const double pixels = depth.noisePixels * std::hypot(1.0, trail / std::max(depth.fwhm, 1e-6));
    return signal / std::sqrt(signal + pixels * depth.noisePerPixel * depth.noisePerPixel);
}

namespace {

/// Takes a body on to the time of its row.
void delay(BodyInFrame& body, const FrameOnSky& frame) {
    body.delaySeconds = frame.rowSeconds * body.pixel.y;
    if (body.delaySeconds == 0.0) {
        return;
    }
    body.place.sky = movedAlong(body.place.sky,
                                body.place.rateArcsecPerMin(),
                                body.place.positionAngle(),
                                body.delaySeconds);
    body.pixel = frame.wcs.toPixel(body.place.sky).value_or(body.pixel);
}

} // namespace

Result<std::vector<BodyInFrame>> bodiesInFrame(NightBodies& night,
                                               const orbit::Planets& planets,
                                               const frame::Site& site,
                                               const FrameOnSky& frame,
                                               const orbit::EarthTurn& turn) {
    auto observer = orbit::observerAt(planets, site, frame.middle, turn);
    if (!observer) {
        return fail(observer.error());
    }
    const SkyPos centre = frame.wcs.toSky({0.5 * (frame.width - 1), 0.5 * (frame.height - 1)});
    double radius = 0.0;
    for (const frame::PixelPos corner : {frame::PixelPos{-0.5, -0.5},
                                         frame::PixelPos{frame.width - 0.5, -0.5},
                                         frame::PixelPos{-0.5, frame.height - 0.5},
                                         frame::PixelPos{frame.width - 0.5, frame.height - 0.5}}) {
        radius = std::max(radius, separation(centre, frame.wcs.toSky(corner)).radians());
    }
    std::vector<BodyInFrame> bodies;
    for (const auto& candidate : night.near(centre, Angle::radians(1.02 * radius))) {
        const SkyPos sky = candidate.ephemeris->directionFrom(*observer);
        const auto pixel = frame.wcs.toPixel(sky);
        if (!pixel || pixel->x < -0.5 || pixel->y < -0.5 || pixel->x > frame.width - 0.5 ||
            pixel->y > frame.height - 0.5 || separation(sky, centre).radians() > 1.1 * radius) {
            continue;
        }
        BodyInFrame body;
        body.orbit = candidate.orbit;
        body.place = candidate.ephemeris->at(*observer);
        body.pixel = *pixel;
        delay(body, frame);
        if (frame.depth && body.place.magnitude) {
            body.snr =
                predictedSnr(*frame.depth, *body.place.magnitude, body.place.rateArcsecPerMin());
        }
        bodies.push_back(body);
    }
    const OrbitCatalog& catalog = night.catalog();
    std::sort(bodies.begin(), bodies.end(), [&](const BodyInFrame& a, const BodyInFrame& b) {
        return std::tuple(a.place.magnitude.value_or(99.0), catalog.name(a.orbit)) <
               std::tuple(b.place.magnitude.value_or(99.0), catalog.name(b.orbit));
    });
    return bodies;
}

} // namespace pathmark::identify
