#include "core/night/measure_here.h"

#include "core/frame/fits_file.h"
#include "simulate/painter.h"
#include "tests/support/moving_frames.h"

#include <gtest/gtest.h>

#include <cmath>
#include <random>

namespace pathmark::night {
namespace {

/// A light that no catalogue has, five times as bright, ten pixels beside what is pointed at: its wing is not the sky. Truth: the place
/// painted; two dozen draws of photons.
TEST(MeasureHereTest, ABrightLightOfNoCatalogueIsNoSky) {
    constexpr int side = 240;
    const test_support::TemporaryFolder folder;
    std::mt19937 random(12);
    std::uniform_real_distribution<double> anywhere(0.0, side);
    double squares = 0.0;
    constexpr int draws = 24;
    for (int draw = 0; draw < draws; ++draw) {
        const simulate::Blur blur{3.3, 0.0, 0.0, 3.0};
        frame::Image image(side, side, 300.0F);
        const double x = 119.6 + 0.05 * draw;
        const double y = 120.3;
        simulate::paintPoint(image, blur, x, y, 27000.0);
        simulate::paintPoint(image, blur, x + 10.0, y + 0.8, 135000.0);
        for (int k = 0; k < 40; ++k) {
            const double sx = anywhere(random);
            const double sy = anywhere(random);
            if (std::hypot(sx - x, sy - y) > 30.0) {
                simulate::paintPoint(image, blur, sx, sy, 20000.0);
            }
        }
        for (float& v : image.pixels()) {
            v = static_cast<float>(std::poisson_distribution<int>(static_cast<double>(v))(random));
        }
        LightRecord light;
        light.calibrated = folder / "one.fits";
        light.wcs = test_support::turnedWcs(0.0, {119.5, 119.5});
        frame::Header header;
        frame::writeWcs(*light.wcs, header);
        ASSERT_TRUE(frame::writeFits(light.calibrated, image, header));
        light.width = side;
        light.height = side;
        light.shape = detect::Moffat::round(3.3, 3.0);
        light.fwhmPixels = 3.3;
        light.noiseElectrons = std::sqrt(300.0);
        light.exposureSeconds = 60.0;
        light.middle = Utc::julian(2464000.5);
        const auto here = measureHere(light, {light.wcs->toSky({x, y})}, nullptr);
        ASSERT_TRUE(here) << here.error().detail;
        ASSERT_TRUE(here->record.seen);
        squares += std::pow((here->record.pixel.x - x) / here->record.raErrorArcsec, 2) +
                   std::pow((here->record.pixel.y - y) / here->record.decErrorArcsec, 2);
    }
    EXPECT_LT(squares / (2.0 * draws), 1.6);
}

} // namespace
} // namespace pathmark::night
