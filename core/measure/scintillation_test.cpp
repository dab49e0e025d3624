#include "core/measure/scintillation.h"

#include <gtest/gtest.h>

#include <cmath>

// Truth: the formula that Young gave (1967, AJ 72, 747) in the form that photometry uses, 0.09 D^(-2/3) X^1.75 exp(-h / 8 km) (2 t)^(-1/2)
// with D in centimetres, which was found at one site and which a median site exceeds by a half.
namespace pathmark::measure {
namespace {

double young(const Twinkling& taken) {
    return 0.09 * std::pow(100.0 * taken.apertureMetres, -2.0 / 3.0) *
           std::pow(taken.airmass, 1.75) * std::exp(-taken.altitudeMetres / 8000.0) /
           std::sqrt(2.0 * taken.exposureSeconds);
}

TEST(ScintillationTest, AMedianSiteTwinklesHalfAsMuchAgainAsYoungs) {
    for (const double aperture : {0.1, 0.35, 1.0, 4.0}) {
        for (const double seconds : {1.0, 30.0, 300.0}) {
            for (const double altitude : {0.0, 1374.0, 4200.0}) {
                const Twinkling taken{aperture, altitude, 1.0, seconds};
                EXPECT_NEAR(scintillation(taken) / young(taken), 1.6, 0.1);
            }
        }
    }
}

TEST(ScintillationTest, LowInTheSkyItTwinklesMore) {
    const Twinkling high{0.35, 1374.0, airmassAt(1.0), 60.0};
    Twinkling low = high;
    low.airmass = airmassAt(0.5);
    EXPECT_NEAR(scintillation(low) / scintillation(high), std::pow(2.0, 1.5), 1e-6);
    EXPECT_NEAR(airmassAt(std::sin(M_PI / 6.0)), 2.0, 1e-9);
    EXPECT_EQ(airmassAt(-0.1), 10.0) << "below the horizon";
}

} // namespace
} // namespace pathmark::measure
