#include "core/identify/bodies_in_frame.h"

#include "core/base/parallel.h"
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

Result<std::vector<BodyInFrame>> bodiesInFrame(std::span<const orbit::Elements> orbits,
                                               const orbit::Planets& planets,
                                               const frame::Site& site,
                                               const FrameOnSky& frame) {
    auto observer = orbit::observerAt(planets, site, frame.middle);
    if (!observer) {
        return fail(observer.error());
    }
    const frame::PixelPos middle{0.5 * (frame.width - 1), 0.5 * (frame.height - 1)};
    const SkyPos centre = frame.wcs.toSky(middle);
    const double reach = separation(centre, frame.wcs.toSky({0.0, 0.0})).radians() * 1.1 + 0.02;
    std::vector<char> near(orbits.size(), 0);
    constexpr std::size_t block = 1024;
    parallelFor((orbits.size() + block - 1) / block, [&](std::size_t part) {
        for (std::size_t i = part * block; i < std::min(orbits.size(), (part + 1) * block); ++i) {
            const SkyPos place = orbit::directionOf(orbits[i], *observer);
            near[i] = separation(place, centre).radians() < reach ? 1 : 0;
        }
    });
    std::vector<BodyInFrame> bodies;
    for (std::size_t i = 0; i < orbits.size(); ++i) {
        if (near[i] == 0) {
            continue;
        }
        BodyInFrame body;
        body.orbit = i;
        auto motion = orbit::Ephemeris::make(orbits[i], planets, frame.middle, frame.middle);
        if (!motion) {
            continue;
        }
        body.place = motion->at(*observer);
        const auto pixel = frame.wcs.toPixel(body.place.sky);
        if (!pixel || pixel->x < -0.5 || pixel->y < -0.5 || pixel->x > frame.width - 0.5 ||
            pixel->y > frame.height - 0.5) {
            continue;
        }
        body.pixel = *pixel;
        if (frame.depth && body.place.magnitude) {
            body.snr =
                predictedSnr(*frame.depth, *body.place.magnitude, body.place.rateArcsecPerMin());
        }
        bodies.push_back(body);
    }
    std::sort(bodies.begin(), bodies.end(), [&](const BodyInFrame& a, const BodyInFrame& b) {
        return std::tuple(a.place.magnitude.value_or(99.0), orbits[a.orbit].name) <
               std::tuple(b.place.magnitude.value_or(99.0), orbits[b.orbit].name);
    });
    return bodies;
}

} // namespace pathmark::identify
