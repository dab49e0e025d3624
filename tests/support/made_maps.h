#pragma once

#include "core/sweep/light_maps.h"
#include "tests/support/photons.h"

#include <cmath>
#include <functional>
#include <vector>

namespace pathmark::test_support {

/// A body of a made-up field.
struct MadeBody {
    double x = 0.0; ///< pixels, in the middle of the time
    double y = 0.0;
    double vx = 0.0; ///< pixels from there to the last frame
    double vy = 0.0;
    double electrons = 0.0; ///< in each frame
    double bend = 0.0;      ///< pixels upwards off its straight line in the first and last frame
};

/// What a made-up field of a sweep is like: one pixel an arcsecond, frames evenly spread over an hour, sky of Gaussian noise.
struct MadeField {
    int width = 256;
    int height = 192;
    int frames = 12;
    double fwhm = 2.6;
    double beta = 3.0;
    double noise = 20.0; ///< electrons
    double exposureSeconds = 60.0;
    std::uint32_t seed = 1;
    bool isNoisy = true; ///< else bodies alone, of the same stated noise
    std::vector<MadeBody> bodies;

    static constexpr double kSeconds = 3600.0;

    [[nodiscard]] stack::PixelGrid grid() const {
        stack::PixelGrid grid;
        grid.width = width;
        grid.height = height;
        grid.wcs.referenceSky = skyDegrees(120.0, 10.0);
        grid.wcs.referencePixel = {0.5 * (width - 1), 0.5 * (height - 1)};
        const double s = Angle::arcsec(1.0).radians();
        grid.wcs.cd = {-s, 0.0, 0.0, s};
        return grid;
    }

    [[nodiscard]] double time(int frame) const { return 2.0 * frame / (frames - 1) - 1.0; }

    /// The pixels of a frame; each body with the trail of its motion, drawn photon by photon.
    [[nodiscard]] sweep::FramePixels pixels(int frame) const {
        Photons photons(seed * 1000003U + static_cast<std::uint32_t>(frame));
        sweep::FramePixels made{frame::Image(width, height, 0.0F),
                                frame::Image(width, height, static_cast<float>(noise * noise))};
        const double share = exposureSeconds / (0.5 * kSeconds);
        for (const MadeBody& body : bodies) {
            photons.setBlur(fwhm, beta, share * body.vx, share * body.vy);
            photons.point(made.light,
                          body.x + body.vx * time(frame),
                          body.y + (body.vy + body.bend * time(frame)) * time(frame),
                          body.electrons);
        }
        if (isNoisy) {
            for (float& v : made.light.pixels()) {
                v += static_cast<float>(photons.normal(noise));
            }
        }
        return made;
    }

    using Change = std::function<void(int frame, sweep::FramePixels& pixels)>;

    /// `change`: what else is done to the pixels of a frame.
    [[nodiscard]] sweep::LightMaps maps(const Change& change = {}) const {
        const auto field = grid();
        std::vector<sweep::SweepFrame> list;
        for (int i = 0; i < frames; ++i) {
            list.push_back({field.wcs,
                            Utc::julian(2464000.0, 0.5).plusSeconds(0.5 * kSeconds * time(i)),
                            exposureSeconds,
                            1.0,
                            fwhm,
                            beta});
        }
        sweep::LightMaps made(field, std::move(list));
        for (int i = 0; i < frames; ++i) {
            auto of = pixels(i);
            if (change) {
                change(i, of);
            }
            made.take(static_cast<std::size_t>(i), of);
        }
        made.finish();
        return made;
    }

    /// Electrons in each frame that give a body this S/N over all of them, by the sum of the squares of the profile.
    [[nodiscard]] double electronsFor(double snr) const {
        return snr * noise * std::sqrt(noisePixels() / frames);
    }

    /// Pixels that count as noise: 1 / sum P^2 of the profile, the integral over pixels by 15 x 15 points each.
    [[nodiscard]] double noisePixels() const {
        constexpr int kParts = 15;
        const double core = 0.5 * fwhm / std::sqrt(std::pow(2.0, 1.0 / beta) - 1.0);
        double squares = 0.0;
        for (int y = -12; y <= 12; ++y) {
            for (int x = -12; x <= 12; ++x) {
                double sum = 0.0;
                for (int k = 0; k < kParts * kParts; ++k) {
                    const double dx = x + (k % kParts + 0.5) / kParts - 0.5;
                    const double dy = y + (k / kParts + 0.5) / kParts - 0.5;
                    sum += std::pow(1.0 + (dx * dx + dy * dy) / (core * core), -beta);
                }
                const double light =
                    sum / (kParts * kParts) * (beta - 1.0) / (3.14159265358979 * core * core);
                squares += light * light;
            }
        }
        return 1.0 / squares;
    }
};

} // namespace pathmark::test_support
