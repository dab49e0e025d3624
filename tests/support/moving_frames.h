#pragma once

#include "core/frame/fits_file.h"
#include "core/stack/layers.h"
#include "simulate/painter.h"
#include "tests/support/temporary_folder.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <random>
#include <string>
#include <vector>

namespace pathmark::test_support {

/// A tangent solution of 1 arcsec a pixel about (100, 30) degrees.
inline frame::Wcs
turnedWcs(double turnDegrees, frame::PixelPos reference, double arcsecPerPixel = 1.0) {
    frame::Wcs wcs;
    wcs.referenceSky = skyDegrees(100.0, 30.0);
    wcs.referencePixel = reference;
    const double s = Angle::arcsec(arcsecPerPixel).radians();
    const double t = turnDegrees * kRadiansPerDegree;
    wcs.cd = {-s * std::cos(t), s * std::sin(t), s * std::sin(t), s * std::cos(t)};
    return wcs;
}

/// The sum of the pixels whose middles are that near to a place.
inline double lightAround(const frame::Image& image, const frame::PixelPos& at, double radius) {
    double sum = 0.0;
    for (int y = static_cast<int>(at.y - radius); y <= at.y + radius + 1.0; ++y) {
        for (int x = static_cast<int>(at.x - radius); x <= at.x + radius + 1.0; ++x) {
            if (std::hypot(x - at.x, y - at.y) <= radius && std::isfinite(image.at(x, y))) {
                sum += static_cast<double>(image.at(x, y));
            }
        }
    }
    return sum;
}

/// What a series of frames on disk shows. Every value is painted where the frame's own solution has it: nothing here knows of
/// stacks.
struct MovingFramesPlan {
    int side = 360;
    int count = 12;
    int stars = 250;
    double brightest = 60000.0;
    double bodyElectrons = 900.0;
    double comaElectrons = 0.0;
    double eastArcsecPerFrame = 6.0;
    double northArcsecPerFrame = -2.5;
    double sky = 400.0; ///< electrons; its root is the noise
    double saturation = std::numeric_limits<double>::infinity();
    double bestFwhm = 2.3;
    bool seeingChanges = true;
    bool keepsSky = false; ///< the photons of the sky are written alone as well: s0.fits and so on
    std::uint32_t seed = 17;
};

/// The series, and its truth.
struct MovingFrames {
    TemporaryFolder folder;
    MovingFramesPlan plan;
    std::vector<stack::StackFrame> frames;
    std::vector<stack::FramePixels> sizes;
    std::vector<SkyPos> body;
    std::vector<SkyPos> stars;
    std::vector<double> starElectrons; ///< at a transparency of 1

    explicit MovingFrames(MovingFramesPlan wanted = {}) : plan(wanted), random_(plan.seed) {
        const double middle = 0.5 * (plan.side - 1);
        const auto sky = turnedWcs(0.0, {middle, middle});
        std::uniform_real_distribution<double> anywhere(-0.6 * plan.side, 0.6 * plan.side);
        std::uniform_real_distribution<double> part(0.0, 1.0);
        for (int i = 0; i < plan.stars; ++i) {
            // Compilers differ in which argument they work out first: the field is to be the same.
            const double north = anywhere(random_);
            const double east = anywhere(random_);
            stars.push_back(offsetBy(sky.referenceSky, east, north));
            starElectrons.push_back(plan.brightest * std::pow(10.0, -3.0 * part(random_)));
        }
        for (int i = 0; i < plan.count; ++i) {
            add(i, middle);
        }
    }

    [[nodiscard]] stack::Series series() const {
        return {frames, sizes, [this](const Utc& time) -> Result<SkyPos> { return bodyAt(time); }};
    }

    [[nodiscard]] SkyPos bodyAt(const Utc& time) const {
        const double step = time.secondsSince(start()) / 60.0 - 0.5 * (plan.count - 1);
        return offsetBy(skyDegrees(100.0, 30.0),
                        plan.eastArcsecPerFrame * step,
                        plan.northArcsecPerFrame * step);
    }

    [[nodiscard]] std::filesystem::path skyOf(std::size_t i) const {
        return folder / ("s" + std::to_string(i) + ".fits");
    }

    static Utc start() { return Utc::julian(2464000.0); }

  private:
    /// Photons where so many are expected.
    void count(frame::Image& image) {
        for (float& v : image.pixels()) {
            v = static_cast<float>(std::poisson_distribution<int>(static_cast<double>(v))(random_));
        }
    }

    void add(int i, double middle) {
        std::uniform_real_distribution<double> dither(-8.0, 8.0);
        const bool flipped = 2 * i >= plan.count;
        const auto wcs =
            turnedWcs(flipped ? 181.0 : 0.5, {middle + dither(random_), middle + dither(random_)});
        const double fwhm = plan.seeingChanges ? plan.bestFwhm + 0.9 * i / plan.count : 2.6;
        const double transparency = plan.seeingChanges ? 1.0 - 0.3 * (i % 3) / 2.0 : 1.0;
        const simulate::Blur blur{fwhm, plan.seeingChanges ? 0.06 : 0.0, 30.0, 3.2};
        frame::Image image(
            plan.side, plan.side, plan.keepsSky ? 0.0F : static_cast<float>(plan.sky));
        for (std::size_t n = 0; n < stars.size(); ++n) {
            const auto p = wcs.toPixel(stars[n]);
            if (p && p->x > -30.0 && p->y > -30.0 && p->x < plan.side + 30.0 &&
                p->y < plan.side + 30.0) {
                simulate::paintPoint(image, blur, p->x, p->y, transparency * starElectrons[n]);
            }
        }
        const Utc time = start().plusSeconds(60.0 * i);
        body.push_back(bodyAt(time));
        const auto at = *wcs.toPixel(body.back());
        simulate::paintPoint(image, blur, at.x, at.y, transparency * plan.bodyElectrons);
        if (plan.comaElectrons > 0.0) {
            simulate::paintComet(
                image, blur, at.x, at.y, transparency * plan.comaElectrons, {12.0, 1.0, 0.0});
        }
        if (plan.keepsSky) {
            frame::Image sky(plan.side, plan.side, static_cast<float>(plan.sky));
            count(sky);
            EXPECT_TRUE(frame::writeFits(skyOf(static_cast<std::size_t>(i)), sky, {}));
            count(image);
            for (std::size_t k = 0; k < image.pixels().size(); ++k) {
                image.pixels()[k] += sky.pixels()[k];
            }
        } else {
            count(image);
        }
        for (float& v : image.pixels()) {
            v = std::min(v, static_cast<float>(plan.saturation));
        }
        stack::StackFrame frame;
        frame.path = folder / ("f" + std::to_string(i) + ".fits");
        EXPECT_TRUE(frame::writeFits(frame.path, image, {}));
        frame.place.wcs = wcs;
        frame.middle = time;
        frame.noise = std::sqrt(plan.sky);
        frame.fluxScale = 1.0 / transparency;
        frame.fwhm = fwhm;
        frame.saturation = plan.saturation;
        frames.push_back(std::move(frame));
        sizes.push_back({plan.side, plan.side});
    }

    std::mt19937 random_;
};

} // namespace pathmark::test_support
