#include "core/stack/resample.h"

#include "core/stack/resample_kernels.h"
#include "core/stack/sky_levels.h"
#include "simulate/painter.h"
#include "tests/support/moving_frames.h"

#include <gtest/gtest.h>

#include <random>

namespace pathmark::stack {
namespace {

using test_support::turnedWcs;

constexpr int kSide = 240;
const SkyPos kCentre = skyDegrees(100.0, 30.0);

struct Way {
    Kernel kernel;
    double scale; ///< arcsec a pixel of the grid; the frame has 1
    double turn;
    double drop;
    double tolerance; ///< of the light in all
};

std::ostream& operator<<(std::ostream& out, const Way& way) {
    return out << name(way.kernel) << " scale " << way.scale << " turn " << way.turn << " drop "
               << way.drop;
}

class ResampleWays : public ::testing::TestWithParam<Way> {};

/// Truth: the electrons that were painted, and the sky place that they were painted at.
TEST_P(ResampleWays, AStarKeepsItsLightAndItsPlace) {
    const Way way = GetParam();
    const FramePlace own{turnedWcs(13.0, {118.7, 120.2}), {}};
    frame::Image image(kSide, kSide);
    simulate::paintPoint(image, {3.0, 0.0, 0.0, 4.0}, 130.4, 111.8, 10000.0);
    const SkyPos star = own.wcs.toSky({130.4, 111.8});
    const int side = static_cast<int>(kSide / way.scale);
    const PixelGrid grid{turnedWcs(way.turn, {0.5 * side, 0.5 * side}, way.scale), side, side};
    ImageSource source(image);
    const auto moved =
        resample(source, fromGrid(own, grid), {0, 0, side, side}, {way.kernel, way.drop});
    ASSERT_TRUE(moved);
    const auto truth = *grid.wcs.toPixel(star);
    const double reach = 24.0 / way.scale;
    double sum = 0.0;
    double x = 0.0;
    double y = 0.0;
    for (int j = 0; j < side; ++j) {
        for (int i = 0; i < side; ++i) {
            const auto v = static_cast<double>(moved->at(i, j));
            if (std::hypot(i - truth.x, j - truth.y) < reach && std::isfinite(v)) {
                sum += v;
                x += v * (i - truth.x);
                y += v * (j - truth.y);
            }
        }
    }
    double painted = 0.0;
    for (int j = 0; j < kSide; ++j) {
        for (int i = 0; i < kSide; ++i) {
            painted +=
                std::hypot(i - 130.4, j - 111.8) < 24.0 ? static_cast<double>(image.at(i, j)) : 0.0;
        }
    }
    EXPECT_NEAR(sum / painted, 1.0, way.tolerance);
    EXPECT_NEAR(x / sum * way.scale, 0.0, 0.01 + way.tolerance);
    EXPECT_NEAR(y / sum * way.scale, 0.0, 0.01 + way.tolerance);
}

INSTANTIATE_TEST_SUITE_P(Scales,
                         ResampleWays,
                         ::testing::Values(Way{Kernel::Cubic, 1.0, 0.0, 0.0, 0.001},
                                           Way{Kernel::Lanczos3, 1.0, 40.0, 0.0, 0.001},
                                           Way{Kernel::Cubic, 0.5, 95.0, 0.0, 0.001},
                                           Way{Kernel::Lanczos3, 0.7, 200.0, 0.0, 0.001},
                                           Way{Kernel::Cubic, 2.0, 30.0, 0.0, 0.002},
                                           Way{Kernel::Lanczos3, 1.6, 0.0, 0.0, 0.002},
                                           Way{Kernel::Cubic, 1.0, 27.0, 1.0, 0.002},
                                           Way{Kernel::Cubic, 0.6, 10.0, 0.8, 0.01}));

/// Truth: the kernel's own weights at each place, summed in double precision one place after the other. Runs along the rows, the other
/// way round, across a row's end, and turned, are added up in different ways.
TEST(ResampleKernelsTest, ARunIsTheKernelsSumAtEachPlace) {
    frame::Image image(64, 64);
    std::mt19937 random(9);
    std::uniform_real_distribution<float> anything(-50.0F, 300.0F);
    for (float& v : image.pixels()) {
        v = anything(random);
    }
    const auto truth = [&](Kernel kernel, double x, double y) {
        const int reach = reachOf(kernel);
        double sum = 0.0;
        double all = 0.0;
        for (int j = static_cast<int>(std::floor(y)) - reach + 1; j <= std::floor(y) + reach; ++j) {
            for (int i = static_cast<int>(std::floor(x)) - reach + 1; i <= std::floor(x) + reach;
                 ++i) {
                const double w = kernelAt(kernel, i - x) * kernelAt(kernel, j - y);
                sum += w * static_cast<double>(image.at(i, j));
                all += w;
            }
        }
        return sum / all;
    };
    const std::vector<RunEnds> ways{
        RunEnds{frame::PixelPos{20.3, 30.6}, {36.3, 30.6}},
        RunEnds{frame::PixelPos{20.0, 30.0}, {36.0, 30.0}},  // on the pixels themselves
        RunEnds{frame::PixelPos{20.9, 30.95}, {36.7, 31.1}}, // into the next row, one pixel less
        RunEnds{frame::PixelPos{20.1, 31.02}, {36.5, 30.9}}, // one pixel more
        RunEnds{frame::PixelPos{40.4, 20.2}, {24.4, 20.4}},  // turned over
        RunEnds{frame::PixelPos{20.3, 20.6}, {30.3, 32.6}},  // turned by fifty degrees
        RunEnds{frame::PixelPos{30.3, 40.6}, {30.2, 24.6}}};
    for (const Kernel kernel : {Kernel::Cubic, Kernel::Lanczos3}) {
        for (std::size_t n = 0; n < ways.size(); ++n) {
            const auto& [a, b] = ways[n];
            for (const std::size_t count : {std::size_t{kRun}, std::size_t{7}}) {
                std::vector<float> out(count);
                EXPECT_TRUE(interpolateRun(kernel, image, {a, b}, 1.5F, out));
                for (std::size_t k = 0; k < count; ++k) {
                    const double t = static_cast<double>(k) / kRun;
                    const double here = truth(kernel, a.x + t * (b.x - a.x), a.y + t * (b.y - a.y));
                    EXPECT_NEAR(out[k], 1.5 * here, 2e-3)
                        << name(kernel) << " way " << n << " place " << k;
                }
            }
        }
    }
}

/// Where the kernel reaches over the edge of the frame there is no value, and the run says so.
TEST(ResampleKernelsTest, ARunOverTheEdgeIsNotWhole) {
    const frame::Image image(64, 64, 7.0F);
    for (const Kernel kernel : {Kernel::Cubic, Kernel::Lanczos3}) {
        std::vector<float> out(kRun);
        EXPECT_FALSE(
            interpolateRun(kernel, image, {frame::PixelPos{55.5, 30.5}, {71.5, 30.5}}, 1.0F, out));
        EXPECT_FLOAT_EQ(out[0], 7.0F);
        EXPECT_TRUE(std::isnan(out[kRun - 1]));
    }
}

/// A pixel without a value is no hole of sixteen: what the kernel still has is enough beside it.
TEST(ResampleTest, ADefectTakesNoMoreThanItself) {
    frame::Image image(60, 60, 7.0F);
    image.at(30, 30) = frame::kNoValue;
    const FramePlace own{turnedWcs(0.0, {29.5, 29.5}), {}};
    const PixelGrid grid{turnedWcs(0.0, {29.8, 29.7}), 60, 60};
    ImageSource source(image);
    for (const Kernel kernel : {Kernel::Cubic, Kernel::Lanczos3}) {
        const auto moved = resample(source, fromGrid(own, grid), {0, 0, 60, 60}, {kernel, 0.0});
        ASSERT_TRUE(moved);
        int holes = 0;
        for (int y = 5; y < 55; ++y) {
            for (int x = 5; x < 55; ++x) {
                if (std::isfinite(moved->at(x, y))) {
                    EXPECT_NEAR(moved->at(x, y), 7.0F, 1e-4F);
                } else {
                    ++holes;
                }
            }
        }
        EXPECT_GE(holes, 1);
        EXPECT_LE(holes, 4);
    }
}

/// There and back: a frame laid on a grid and the grid on the frame is the identity of places.
TEST(ResampleTest, ToTheGridIsTheWayBack) {
    const FramePlace own{turnedWcs(33.0, {100.0, 90.0}), {1e-4, -5e-5}};
    const PixelGrid grid{turnedWcs(-20.0, {50.0, 60.0}, 1.7), 200, 200};
    const auto there = fromGrid(own, grid);
    const auto back = toGrid(own, grid);
    for (const double x : {0.0, 88.0, 199.0}) {
        const auto p = back(there({x, 40.0}));
        EXPECT_NEAR(p.x, x, 1e-6);
        EXPECT_NEAR(p.y, 40.0, 1e-6);
    }
}

/// Truth: the sky that was laid under the coma. A mesh alone would take the coma for sky.
TEST(SkyLevelsTest, AProtectedComaIsNoSky) {
    std::mt19937 random(4);
    std::normal_distribution<float> noise(0.0F, 10.0F);
    frame::Image image(1600, 1200);
    simulate::paintComet(image, {3.0, 0.0, 0.0, 3.0}, 800.0, 600.0, 4e7, {130.0, 1.0, 0.0});
    for (int y = 0; y < 1200; ++y) {
        for (int x = 0; x < 1600; ++x) {
            image.at(x, y) += 500.0F + 0.05F * static_cast<float>(x) -
                              0.03F * static_cast<float>(y) + noise(random);
        }
    }
    const auto truth = [](double x, double y) { return 500.0 + 0.05 * x - 0.03 * y; };
    ImageSource source(image);
    const std::vector<calibrate::ProtectedDisc> disc{{{800.0, 600.0}, 340.0}};
    const auto bridged = SkyLevels::measure(source, disc);
    const auto plain = SkyLevels::measure(source, {});
    ASSERT_TRUE(bridged);
    ASSERT_TRUE(plain);
    EXPECT_GT(plain->at(800.0, 600.0) - truth(800.0, 600.0), 20.0);
    for (const auto& [x, y] : {std::pair{800.0, 600.0}, {900.0, 500.0}, {720.0, 700.0}}) {
        EXPECT_NEAR(bridged->at(x, y), truth(x, y), 2.0) << x << ' ' << y;
    }
    EXPECT_NEAR(bridged->at(60.0, 80.0), truth(60.0, 80.0), 2.0);
}

} // namespace
} // namespace pathmark::stack
