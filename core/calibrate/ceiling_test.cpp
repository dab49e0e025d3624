#include "core/calibrate/ceiling.h"

#include "simulate/camera.h"
#include "simulate/painter.h"

#include <gtest/gtest.h>

#include <cmath>

namespace pathmark::calibrate {
namespace {

/// A frame of some stars, read out by the simulator's camera. Truth: its range.
frame::Image readOut(double saturationAdu, int step, double brightest) {
    simulate::CameraScenario camera;
    camera.width = 300;
    camera.height = 200;
    camera.electronsPerAdu = 4.0;
    camera.biasAdu = 60.0;
    camera.saturationAdu = saturationAdu;
    camera.aduStep = step;
    frame::Image light(camera.width, camera.height, 300.0F);
    const simulate::Blur blur{2.8, 0.05, 10.0, 3.0};
    for (int k = 0; k < 12; ++k) {
        simulate::paintPoint(
            light, blur, 20.3 + 23.0 * k, 30.7 + 12.0 * k, brightest * std::pow(0.6, k));
    }
    return simulate::expose(
        light, simulate::makeDetector(camera, 5), camera, 30.0, simulate::NoiseHash(8));
}

TEST(CeilingTest, IsWhereTheRangeEnds) {
    for (const auto& [range, step] :
         {std::pair{4095.0, 1}, {4095.0, 16}, {16383.0, 4}, {65535.0, 1}}) {
        const auto ceiling = ceilingOf(readOut(range, step, 3e7));
        ASSERT_TRUE(ceiling) << range;
        EXPECT_EQ(*ceiling, range * step);
    }
}

TEST(CeilingTest, AFrameInItsRangeHasNone) {
    EXPECT_FALSE(ceilingOf(readOut(65535.0, 1, 2e5)));
    // Coarse steps and no star: many pixels share the highest value of the sky's noise.
    EXPECT_FALSE(ceilingOf(readOut(4095.0, 16, 1.0)));
    EXPECT_FALSE(ceilingOf(frame::Image(50, 50, 700.0F)));
}

} // namespace
} // namespace pathmark::calibrate
