#include "core/night/drift.h"

#include <gtest/gtest.h>

#include <cmath>

namespace pathmark::night {
namespace {

LightRecord lightAt(const std::string& series, double ra, double dec, double turn, double scale) {
    LightRecord light;
    light.series = SeriesId(series);
    light.width = 1000;
    light.height = 800;
    frame::Wcs wcs;
    wcs.referenceSky = skyDegrees(ra, dec);
    wcs.referencePixel = {499.5, 399.5};
    const double s = scale * kRadiansPerArcsec;
    const double t = turn * kRadiansPerDegree;
    wcs.cd = {-s * std::cos(t), s * std::sin(t), s * std::sin(t), s * std::cos(t)};
    light.wcs = wcs;
    return light;
}

TEST(DriftTest, EachSeriesDriftsFromItsOwnFirstSolvedFrame) {
    std::vector<LightRecord> lights{
        lightAt("a", 30.0, 60.0, 10.0, 1.0),
        lightAt("b", 200.0, -20.0, 0.0, 2.0),
        // 20 arcsec of arc east at declination 60 are 40 of right ascension.
        lightAt("a", 30.0 + 40.0 / 3600.0, 60.0, 10.5, 1.0001),
        lightAt("a", 30.0, 60.0 - 5.0 / 3600.0, 190.25, 1.0),
        lightAt("b", 200.0, -20.0, 0.0, 2.0)};
    lights[4].wcs.reset();
    const auto drifts = driftOf(lights);
    ASSERT_EQ(drifts.size(), lights.size());
    EXPECT_NEAR(drifts[0]->lengthArcsec(), 0.0, 1e-9);
    EXPECT_NEAR(drifts[1]->lengthArcsec(), 0.0, 1e-9);
    EXPECT_NEAR(drifts[2]->raArcsec, 20.0, 1e-3);
    EXPECT_NEAR(drifts[2]->decArcsec, 0.0, 0.01);
    EXPECT_NEAR(std::abs(drifts[2]->turnDegrees), 0.5, 1e-6);
    EXPECT_NEAR(drifts[2]->scalePerMillion, 100.0, 0.01);
    EXPECT_NEAR(drifts[3]->decArcsec, -5.0, 1e-3);
    // A meridian flip is no turn of the camera.
    EXPECT_NEAR(std::abs(drifts[3]->turnDegrees), 0.25, 1e-6);
    EXPECT_FALSE(drifts[4]);
}

TEST(DriftTest, AnUnsolvedFirstFrameIsPassedOver) {
    std::vector<LightRecord> lights{lightAt("a", 10.0, 0.0, 0.0, 1.0),
                                    lightAt("a", 10.0, 0.01, 0.0, 1.0)};
    lights[0].wcs.reset();
    const auto drifts = driftOf(lights);
    EXPECT_FALSE(drifts[0]);
    EXPECT_NEAR(drifts[1]->lengthArcsec(), 0.0, 1e-9);
}

} // namespace
} // namespace pathmark::night
