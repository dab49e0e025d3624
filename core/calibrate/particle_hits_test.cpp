#include "core/calibrate/particle_hits.h"

#include "tests/support/photons.h"

#include <gtest/gtest.h>

#include <cmath>

namespace pathmark::calibrate {
namespace {

/// A mosaic of stars whose green is thrice their red and blue, drawn photon by photon.
frame::Image mosaicOfStars(double fwhm) {
    test_support::Photons photons(7);
    photons.setBlur(fwhm, 3.5, 0.0, 0.0);
    frame::Image image(200, 160, 0.0F);
    for (int k = 0; k < 60; ++k) {
        const double x = 10.0 + 180.0 * photons.uniform();
        const double y = 10.0 + 140.0 * photons.uniform();
        photons.point(image, x, y, 6000.0, "RGGB", 'R');
        photons.point(image, x, y, 18000.0, "RGGB", 'G');
        photons.point(image, x, y, 6000.0, "RGGB", 'B');
    }
    for (float& v : image.pixels()) {
        v += static_cast<float>(photons.poisson(80.0)) + static_cast<float>(photons.normal(3.0));
    }
    return image;
}

/// Green pixels stand alone among red and blue ones: by its neighbours every star would be a hit.
TEST(ParticleHitsInMosaicTest, StarsStay) {
    for (const double fwhm : {2.5, 4.0}) {
        frame::Image image = mosaicOfStars(fwhm);
        EXPECT_GT(maskParticleHits(image, {fwhm, 1.0, 3.0, 6.0}), 50); // what would be
        image = mosaicOfStars(fwhm);
        EXPECT_LE(maskParticleHitsInMosaic(image, {fwhm, 1.0, 3.0, 6.0}), 3) << fwhm;
    }
}

TEST(ParticleHitsInMosaicTest, HitsAreFound) {
    frame::Image image = mosaicOfStars(4.0);
    int found = 0;
    for (int k = 0; k < 20; ++k) {
        image.at(15 + 8 * k, 20 + 6 * k) += 1500.0F;
    }
    maskParticleHitsInMosaic(image, {4.0, 1.0, 3.0, 6.0});
    for (int k = 0; k < 20; ++k) {
        found += std::isnan(image.at(15 + 8 * k, 20 + 6 * k)) ? 1 : 0;
    }
    EXPECT_GE(found, 16);
}

} // namespace
} // namespace pathmark::calibrate
