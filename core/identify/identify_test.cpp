#include "core/identify/bodies_in_frame.h"

#include <gtest/gtest.h>

#include <cmath>

namespace pathmark::identify {
namespace {

orbit::Planets planets() {
    auto opened = orbit::Planets::open(std::filesystem::path(PATHMARK_SOURCE_DIR) / "data" /
                                       "planets-1995-2055.bsp");
    EXPECT_TRUE(opened);
    return std::move(*opened);
}

orbit::Elements body(std::string name, double perihelionDay) {
    orbit::Elements e;
    e.name = std::move(name);
    e.epoch = toTdb(*parseUtc("2034-03-17T22:00:00"));
    e.perihelionAu = 2.1;
    e.eccentricity = 0.1;
    e.perihelionTime = Tdb::julian(perihelionDay);
    e.brightness.h = 15.0;
    return e;
}

TEST(BodiesInFrameTest, ListsWhatIsInsideAndNothingElse) {
    const auto file = planets();
    const frame::Site site;
    const Utc time = *parseUtc("2034-03-17T22:00:00");
    const auto now = orbit::observerAt(file, site, time);
    ASSERT_TRUE(now);
    const std::vector<orbit::Elements> orbits{
        body("inside", 2464000.0), body("far", 2464400.0), body("also", 2464000.1)};
    FrameOnSky frame;
    frame.width = 1000;
    frame.height = 800;
    frame.middle = time;
    frame.wcs.referenceSky = orbit::placeAt(orbits[0], file, site, time)->sky;
    frame.wcs.referencePixel = {400.0, 300.0};
    const double s = Angle::arcsec(1.0).radians();
    frame.wcs.cd = {-s, 0.0, 0.0, s};
    const OrbitCatalog catalog = OrbitCatalog::make(orbits);
    auto night = NightBodies::make(catalog, file, time, time);
    ASSERT_TRUE(night) << night.error().detail;
    const auto bodies = bodiesInFrame(*night, file, site, frame);
    ASSERT_TRUE(bodies);
    ASSERT_EQ(bodies->size(), 2U);
    for (const auto& found : *bodies) {
        EXPECT_NE(orbits[found.orbit].name, "far");
        if (orbits[found.orbit].name == "inside") {
            EXPECT_NEAR(found.pixel.x, 400.0, 1e-3);
            EXPECT_NEAR(found.pixel.y, 300.0, 1e-3);
        }
    }
}

TEST(PredictedSnrTest, IsTheMatchedFiltersOwn) {
    FrameDepth depth;
    depth.photometry.band = catalog::Band::V;
    depth.photometry.zeroPoint = 22.0;
    depth.exposureSeconds = 100.0;
    depth.noisePerPixel = 10.0;
    depth.fwhm = 3.0;
    depth.noisePixels = 20.0;
    depth.scaleArcsec = 1.0;
    // Truth by hand: V = 20 gives 100 x 10^0.8 = 630.96 electrons; noise^2 = 630.96 + 20 x 100.
    EXPECT_NEAR(predictedSnr(depth, 20.0, 0.0), 630.96 / std::sqrt(2630.96), 0.01);
    // A trail spreads the light over more sky.
    EXPECT_LT(predictedSnr(depth, 20.0, 10.0), 0.7 * predictedSnr(depth, 20.0, 0.0));
}

} // namespace
} // namespace pathmark::identify
