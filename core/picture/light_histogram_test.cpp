#include "core/picture/light_histogram.h"

#include <gtest/gtest.h>

#include <cmath>
#include <numeric>
#include <random>

namespace pathmark::picture {
namespace {

/// Sky of 100 with a noise of 10 in the intensity, and a hundred pixels of 5000.
ColourPicture sky() {
    ColourPicture picture;
    std::mt19937 random(4);
    std::normal_distribution<float> noise(100.0F, 10.0F);
    picture.planes[0] = frame::Image(200, 150);
    for (float& v : picture.planes[0].pixels()) {
        v = noise(random);
    }
    for (int x = 50; x < 60; ++x) {
        for (int y = 50; y < 60; ++y) {
            picture.planes[0].at(x, y) = 5000.0F;
        }
    }
    picture.planes[1] = picture.planes[0];
    picture.planes[2] = picture.planes[0];
    return picture;
}

TEST(LightHistogramTest, EveryPixelIsCountedWhereItsLightIs) {
    const LightHistogram histogram = histogramOf(sky());
    EXPECT_NEAR(histogram.ground.level, 100.0, 0.5);
    EXPECT_NEAR(histogram.ground.noise, 10.0, 0.3);
    EXPECT_EQ(std::accumulate(histogram.counts.begin(), histogram.counts.end(), 0.0), 30000.0);
    EXPECT_EQ(histogram.counts.back(), 100.0) << "the brightest stand at the end";
    EXPECT_NEAR(histogram.lightAt(histogram.axisOf(345.6)), 345.6, 1e-6);
    EXPECT_GT(histogram.last(), histogram.axisOf(4999.0));
    // Half of the sky lies below its level.
    double below = 0.0;
    for (std::size_t k = 0; k < histogram.counts.size(); ++k) {
        if (histogram.first + (static_cast<double>(k) + 0.5) * histogram.step < 0.0) {
            below += histogram.counts[k];
        }
    }
    EXPECT_NEAR(below / 30000.0, 0.5, 0.03);
}

/// Truth: the share of a Gaussian below so many sigmas.
TEST(LightHistogramTest, WhatIsClippedIsCounted) {
    Stretch stretch;
    stretch.black = 90.0;
    stretch.white = 4000.0;
    const Clipped clipped = clippedBy(sky(), stretch);
    EXPECT_NEAR(clipped.black, 0.5 * std::erfc(1.0 / std::sqrt(2.0)), 0.01);
    EXPECT_NEAR(clipped.white, 100.0 / 30000.0, 1e-9);
}

} // namespace
} // namespace pathmark::picture
