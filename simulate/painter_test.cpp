#include "simulate/painter.h"

#include "tests/support/photons.h"

#include <gtest/gtest.h>

#include <cmath>
#include <numbers>

namespace pathmark::simulate {
namespace {

/// Truth: photons thrown one by one from the same coma through the same blur.
TEST(PaintCometTest, IsTheComaThroughTheBlur) {
    constexpr double electrons = 2e6;
    constexpr double coma = 12.0;
    frame::Image painted(161, 161);
    // The tail points away from where the light is compared.
    paintComet(painted, {2.6, 0.0, 0.0, 3.0}, 80.3, 79.6, electrons, {coma, 1.0, 0.0});
    frame::Image thrown(161, 161);
    test_support::Photons photons(11);
    photons.setBlur(2.6, 3.0, 0.0, 0.0);
    photons.point(thrown, 80.3, 79.6, 0.1 * electrons);
    // Seven tenths fall along rho as exp(-(rho / R)^3); drawn by rejection.
    for (int k = photons.poisson(0.7 * electrons); k > 0;) {
        const double rho = 2.5 * coma * photons.uniform();
        if (photons.uniform() < std::exp(-std::pow(rho / coma, 3.0))) {
            const double angle = 2.0 * std::numbers::pi * photons.uniform();
            photons.point(thrown, 80.3 + rho * std::cos(angle), 79.6 + rho * std::sin(angle), 1.0);
            --k;
        }
    }
    double chi = 0.0;
    int count = 0;
    for (int y = 60; y < 100; ++y) {
        for (int x = 60; x < 78; ++x) {
            const auto p = static_cast<double>(painted.at(x, y));
            if (p > 100.0) {
                chi += std::pow(static_cast<double>(thrown.at(x, y)) - p, 2.0) / p;
                ++count;
            }
        }
    }
    ASSERT_GT(count, 200);
    // Poisson's law; 400 pixels know it to 0.07.
    EXPECT_NEAR(chi / count, 1.0, 0.25);
}

} // namespace
} // namespace pathmark::simulate
