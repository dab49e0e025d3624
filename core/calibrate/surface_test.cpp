#include "core/calibrate/surface.h"

#include "core/calibrate/colour_planes.h"
#include "core/calibrate/particle_hits.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <functional>
#include <random>

namespace pathmark::calibrate {
namespace {

constexpr int kWidth = 400;
constexpr int kHeight = 300;

/// A sky with a known shape, noise, stars, and a galaxy or coma.
struct Scene {
    frame::Image image{kWidth, kHeight};
    frame::Image shape{kWidth, kHeight};
};

Scene makeScene(const std::function<double(double, double)>& shape, bool coma, std::uint32_t seed) {
    std::mt19937 random(seed);
    std::normal_distribution<float> noise(0.0F, 10.0F);
    Scene scene;
    for (int y = 0; y < kHeight; ++y) {
        for (int x = 0; x < kWidth; ++x) {
            const double sky =
                1000.0 + shape(2.0 * x / (kWidth - 1) - 1.0, 2.0 * y / (kHeight - 1) - 1.0);
            scene.shape.at(x, y) = static_cast<float>(sky);
            double light = sky;
            if (coma) {
                const double r2 = (x - 150.0) * (x - 150.0) + (y - 160.0) * (y - 160.0);
                light += 600.0 * std::exp(-0.5 * r2 / (22.0 * 22.0));
            }
            scene.image.at(x, y) = static_cast<float>(light) + noise(random);
        }
    }
    for (int k = 0; k < 150; ++k) {
        const int cx = 5 + static_cast<int>(random() % (kWidth - 10));
        const int cy = 5 + static_cast<int>(random() % (kHeight - 10));
        for (int j = -5; j <= 5; ++j) {
            for (int i = -5; i <= 5; ++i) {
                scene.image.at(cx + i, cy + j) +=
                    3000.0F * std::exp(-0.2F * static_cast<float>(i * i + j * j));
            }
        }
    }
    return scene;
}

double rmsError(const Surface& surface, const frame::Image& truth) {
    const frame::Image model = surface.image();
    double sum = 0.0;
    for (std::size_t i = 0; i < truth.pixels().size(); ++i) {
        const double d = static_cast<double>(model.pixels()[i] - truth.pixels()[i]);
        sum += d * d;
    }
    return std::sqrt(sum / static_cast<double>(truth.pixels().size()));
}

struct Shape {
    int degree;
    std::function<double(double, double)> value;
    double limit;
};

class SurfaceTest : public testing::TestWithParam<Shape> {};

/// Truth: the shape that was painted. A box of 256 pixels knows its level to 0.6 electrons; stars and their wings that
/// the clip leaves raise it by a little more.
TEST_P(SurfaceTest, FindsTheShapeThroughStarsAndAComa) {
    const Scene scene = makeScene(GetParam().value, true, 5);
    SurfaceOptions options;
    options.degree = GetParam().degree;
    options.protect = {ProtectedDisc{{150.0, 160.0}, 75.0}};
    auto samples = sampleSurface(scene.image, options);
    const auto surface = fitSurface(samples, kWidth, kHeight, options);
    ASSERT_TRUE(surface) << surface.error().detail;
    EXPECT_LT(rmsError(*surface, scene.shape), GetParam().limit);
    EXPECT_NEAR(surface->at(37.0, 210.0), static_cast<double>(surface->image().at(37, 210)), 1e-3);
    frame::Image flat = scene.image;
    subtractShape(flat, *surface);
    // The comet is still there.
    EXPECT_GT(flat.at(150, 160) - flat.at(390, 20), 450.0F);
}

INSTANTIATE_TEST_SUITE_P(
    Shapes,
    SurfaceTest,
    testing::Values(
        Shape{1, [](double u, double v) { return 80.0 * u - 50.0 * v; }, 3.0},
        Shape{2, [](double u, double v) { return 60.0 * u * u - 40.0 * u * v + 20.0 * v; }, 3.0},
        Shape{
            3, [](double u, double v) { return 70.0 * u * u * u + 30.0 * v * v * u - 20.0; }, 3.5},
        Shape{
            4, [](double u, double v) { return 90.0 * u * u * v * v - 60.0 * v * v * v * v; }, 3.5},
        Shape{0,
              [](double u, double v) { return 60.0 * std::sin(2.5 * u) * std::cos(2.0 * v); },
              4.0}));

/// A coma that nobody marked must not be taken for sky all the same: a low degree cannot follow it.
TEST(SurfaceTest, AnUnmarkedComaFallsOutOfALowFit) {
    const Scene scene = makeScene([](double u, double) { return 50.0 * u; }, true, 6);
    SurfaceOptions options;
    options.degree = 1;
    auto samples = sampleSurface(scene.image, options);
    const auto surface = fitSurface(samples, kWidth, kHeight, options);
    ASSERT_TRUE(surface);
    EXPECT_LT(rmsError(*surface, scene.shape), 5.0);
}

TEST(SurfaceTest, ASeriesHasOneShapeWhateverItsLevels) {
    std::vector<std::vector<SurfaceSample>> samples;
    const auto shape = [](double u, double v) { return 40.0 * u + 30.0 * v * v; };
    Scene last;
    for (std::uint32_t i = 0; i < 5; ++i) {
        last = makeScene(shape, false, 30 + i);
        for (float& v : last.image.pixels()) {
            v += 100.0F * static_cast<float>(i);
        }
        samples.push_back(sampleSurface(last.image, {}));
    }
    auto pooled = pooledSamples(samples);
    const auto surface = fitSurface(pooled, kWidth, kHeight, {});
    ASSERT_TRUE(surface);
    EXPECT_NEAR(surface->at(380, 150) - surface->at(20, 150), 40.0 * 2.0 * 360.0 / 399.0, 3.0);
}

TEST(SurfaceTest, LevellingEvensOutVignetting) {
    Scene scene = makeScene([](double u, double v) { return -150.0 * (u * u + v * v); }, false, 7);
    SurfaceOptions options;
    options.degree = 4;
    auto samples = sampleSurface(scene.image, options);
    const auto surface = fitSurface(samples, kWidth, kHeight, options);
    ASSERT_TRUE(surface);
    levelTo(scene.image, *surface, 500.0);
    auto again = sampleSurface(scene.image, options);
    // A box may hold a bright star's wings; nineteen of twenty must be level to 1 %.
    const auto level = std::count_if(again.begin(), again.end(), [](const SurfaceSample& sample) {
        return std::abs(sample.level - 500.0) < 5.0;
    });
    EXPECT_GT(static_cast<double>(level), 0.95 * static_cast<double>(again.size()));
}

TEST(SurfaceTest, TooLittleSkyIsSaid) {
    const frame::Image image(kWidth, kHeight, 100.0F);
    SurfaceOptions options;
    options.degree = 4;
    options.protect = {ProtectedDisc{{200.0, 150.0}, 2000.0}};
    auto samples = sampleSurface(image, options);
    const auto surface = fitSurface(samples, kWidth, kHeight, options);
    ASSERT_FALSE(surface);
    EXPECT_EQ(surface.error().id, ErrorId::CalibrateNoBackground);
}

/// Truth: the stars and hits that were painted, Gaussian stars of 2.2 to 4 pixels FWHM at any sub-pixel place.
TEST(ParticleHitsTest, HitsGoAndStarsStay) {
    std::mt19937 random(9);
    std::uniform_real_distribution<double> uniform(0.0, 1.0);
    for (const double fwhm : {2.2, 3.0, 4.0}) {
        frame::Image image(600, 500);
        const double sigma = fwhm / 2.3548;
        for (float& v : image.pixels()) {
            v = 300.0F;
        }
        for (int k = 0; k < 300; ++k) {
            const double cx = 10.0 + uniform(random) * 580.0;
            const double cy = 10.0 + uniform(random) * 480.0;
            const double peak = 100.0 * std::pow(400.0, uniform(random));
            for (int y = static_cast<int>(cy) - 9; y <= static_cast<int>(cy) + 9; ++y) {
                for (int x = static_cast<int>(cx) - 9; x <= static_cast<int>(cx) + 9; ++x) {
                    const double r2 = (x - cx) * (x - cx) + (y - cy) * (y - cy);
                    image.at(x, y) +=
                        static_cast<float>(peak * std::exp(-0.5 * r2 / (sigma * sigma)));
                }
            }
        }
        for (float& v : image.pixels()) {
            std::poisson_distribution<int> photons(static_cast<double>(v));
            std::normal_distribution<float> read(0.0F, 5.0F);
            v = static_cast<float>(photons(random)) + read(random);
        }
        frame::Image clean = image;
        const int lost = maskParticleHits(clean, {fwhm, 1.0, 5.0, 6.0});
        EXPECT_LE(lost, 6) << "pixels of stars or sky at FWHM " << fwhm;
        // Single pixels and short tracks.
        std::vector<std::pair<int, int>> struck;
        for (int k = 0; k < 80; ++k) {
            const int x = 10 + static_cast<int>(random() % 580);
            const int y = 10 + static_cast<int>(random() % 480);
            for (int step = 0; step < 1 + k % 4; ++step) {
                image.at(x + step, y + step / 2) += 1500.0F;
                struck.emplace_back(x + step, y + step / 2);
            }
        }
        maskParticleHits(image, {fwhm, 1.0, 5.0, 6.0});
        int found = 0;
        for (const auto& [x, y] : struck) {
            found += std::isnan(image.at(x, y)) ? 1 : 0;
        }
        EXPECT_GT(found, static_cast<int>(0.9 * static_cast<double>(struck.size()))) << fwhm;
    }
}

TEST(ParticleHitsTest, UndersampledFramesAreLeftAlone) {
    frame::Image image(50, 50, 100.0F);
    image.at(20, 20) = 5000.0F;
    EXPECT_EQ(maskParticleHits(image, {1.2, 1.0, 5.0, 6.0}), 0);
    EXPECT_EQ(image.at(20, 20), 5000.0F);
}

} // namespace
} // namespace pathmark::calibrate
