#include "core/stack/stack.h"

#include "core/frame/fits_file.h"
#include "core/stack/time_groups.h"
#include "simulate/painter.h"
#include "tests/support/temporary_folder.h"

#include <gtest/gtest.h>

#include <cmath>
#include <limits>
#include <random>

namespace pathmark::stack {
namespace {

constexpr int kSide = 240;

frame::Wcs wcsAt(double turnDegrees, double shiftX, double shiftY) {
    frame::Wcs wcs;
    wcs.referenceSky = skyDegrees(100.0, 30.0);
    wcs.referencePixel = {119.5 + shiftX, 119.5 + shiftY};
    const double s = Angle::arcsec(1.0).radians();
    const double t = turnDegrees * kRadiansPerDegree;
    wcs.cd = {-s * std::cos(t), s * std::sin(t), s * std::sin(t), s * std::cos(t)};
    return wcs;
}

/// Centre of light in a window, the mean taken off: enough for a noise-free star.
frame::PixelPos centroid(const frame::Image& image, int cx, int cy) {
    double sum = 0.0;
    double x = 0.0;
    double y = 0.0;
    for (int j = -8; j <= 8; ++j) {
        for (int i = -8; i <= 8; ++i) {
            const auto v = static_cast<double>(image.at(cx + i, cy + j));
            sum += v;
            x += v * (cx + i);
            y += v * (cy + j);
        }
    }
    return {x / sum, y / sum};
}

TEST(ResampleTest, AStarLandsWhereTheSkySaysItIs) {
    const test_support::TemporaryFolder folder;
    frame::Image image(kSide, kSide);
    const simulate::Blur blur{3.0, 0.0, 0.0, 4.0};
    const auto own = wcsAt(37.0, 3.3, -2.7);
    const SkyPos star = own.toSky({130.4, 111.8});
    simulate::paintPoint(image, blur, 130.4, 111.8, 10000.0);
    ASSERT_TRUE(frame::writeFits(folder / "a.fits", image, {}));
    auto reader = frame::FitsReader::open(folder / "a.fits");
    const PixelGrid grid{wcsAt(0.0, 0.0, 0.0), kSide, kSide};
    const auto moved = resample(*reader, fromGrid({own, {}}, grid), {0, 0, kSide, kSide}, {});
    ASSERT_TRUE(moved);
    const auto truth = *grid.wcs.toPixel(star);
    const auto found = centroid(
        *moved, static_cast<int>(std::lround(truth.x)), static_cast<int>(std::lround(truth.y)));
    EXPECT_NEAR(found.x, truth.x, 0.005);
    EXPECT_NEAR(found.y, truth.y, 0.005);
}

/// Ten frames of a moving body and a standing star with particle hits, read from disk as in earnest.
struct MovingNight {
    test_support::TemporaryFolder folder;
    std::vector<StackFrame> frames;

    explicit MovingNight(bool onTheBody) {
        std::mt19937 random(3);
        std::normal_distribution<float> noise(0.0F, 5.0F);
        const simulate::Blur blur{2.6, 0.0, 0.0, 3.0};
        for (int i = 0; i < 10; ++i) {
            frame::Image image(kSide, kSide, 50.0F);
            for (float& v : image.pixels()) {
                v += noise(random);
            }
            const double turn = i < 5 ? 0.0 : 180.0;
            const auto wcs = wcsAt(turn, 0.7 * i, -0.4 * i);
            const PlanePos moved{Angle::arcsec(4.0 * (i - 4.5)).radians(),
                                 Angle::arcsec(1.5 * (i - 4.5)).radians()};
            const auto body = *wcs.toPixel(fromTangentPlane(wcs.referenceSky, moved));
            const auto star = *wcs.toPixel(
                fromTangentPlane(wcs.referenceSky, {Angle::arcsec(40.0).radians(), 0.0}));
            simulate::paintPoint(image, blur, body.x, body.y, 400.0);
            simulate::paintPoint(image, blur, star.x, star.y, 20000.0);
            image.at(60 + 7 * i, 90) += 4000.0F;
            const auto path = folder / (std::to_string(i) + ".fits");
            EXPECT_TRUE(frame::writeFits(path, image, {}));
            frames.push_back({path,
                              {wcs, onTheBody ? moved : PlanePos{}},
                              Utc::julian(2464000.0).plusSeconds(60.0 * i),
                              5.0,
                              1.0,
                              0.0,
                              1e30,
                              {},
                              {}});
        }
    }
};

/// Truth: the painted motion; in the stack the body stands at the grid's middle and the star is gone.
TEST(StackFramesTest, OnTheBodyTheStarFallsOut) {
    const MovingNight run(true);
    const PixelGrid grid{wcsAt(0.0, 0.0, 0.0), kSide, kSide};
    const auto stack = stackFrames(run.frames, grid, {}, {});
    ASSERT_TRUE(stack);
    // The body as painted there once, blurred a little by the moving: its peak, and its light in a square of seven pixels.
    frame::Image alone(kSide, kSide);
    simulate::paintPoint(alone, {2.6, 0.0, 0.0, 3.0}, 119.5, 119.5, 400.0);
    double light = 0.0;
    double truth = 0.0;
    for (int y = 116; y <= 122; ++y) {
        for (int x = 116; x <= 122; ++x) {
            light += static_cast<double>(stack->image.at(x, y));
            truth += static_cast<double>(alone.at(x, y));
        }
    }
    EXPECT_NEAR(light, truth, 4.0 * 7.0 * stack->noise);
    EXPECT_NEAR(stack->image.at(119, 119), alone.at(119, 119), 4.0 * stack->noise);
    EXPECT_NEAR(stack->image.at(120, 120), alone.at(120, 120), 4.0 * stack->noise);
    // The star's light, 2000 electrons at its peak, must be clipped away along its whole track.
    for (int x = 40; x < 115; ++x) {
        for (int y = 90; y < 150; ++y) {
            EXPECT_LT(stack->image.at(x, y), 60.0F) << x << ' ' << y;
        }
    }
    EXPECT_GT(stack->clippedShare, 0.0);
}

/// Truth: the scatter of the sky itself, in sums over squares of twelve pixels, which moving by parts of a pixel leaves alone.
TEST(StackFramesTest, TheNoiseStatedIsThatOfTheSky) {
    const MovingNight run(true);
    const PixelGrid grid{wcsAt(0.0, 0.0, 0.0), kSide, kSide};
    const auto stack = stackFrames(run.frames, grid, {}, {});
    ASSERT_TRUE(stack);
    constexpr int side = 12;
    double sum = 0.0;
    double squares = 0.0;
    int count = 0;
    for (const int top : {12, 24, 36, 48, 60, 168, 180, 192, 204, 216}) {
        for (int left = 12; left + side <= 228; left += side) {
            double box = 0.0;
            for (int y = top; y < top + side && y < 228; ++y) {
                for (int x = left; x < left + side; ++x) {
                    box += static_cast<double>(stack->image.at(x, y));
                }
            }
            sum += box;
            squares += box * box;
            ++count;
        }
    }
    const double mean = sum / count;
    const double scatter = std::sqrt(squares / count - mean * mean) / side;
    // 180 squares: their scatter is known to five per cent.
    EXPECT_NEAR(scatter / stack->noise, 1.0, 0.15);
}

TEST(StackFramesTest, OnTheStarsTheStarKeepsItsLight) {
    const MovingNight run(false);
    const PixelGrid grid{wcsAt(0.0, 0.0, 0.0), kSide, kSide};
    const auto stack = stackFrames(run.frames, grid, {}, {});
    ASSERT_TRUE(stack);
    const auto star = *grid.wcs.toPixel(
        fromTangentPlane(grid.wcs.referenceSky, {Angle::arcsec(40.0).radians(), 0.0}));
    double sum = 0.0;
    for (int y = -12; y <= 12; ++y) {
        for (int x = -12; x <= 12; ++x) {
            sum += static_cast<double>(
                stack->image.at(static_cast<int>(star.x) + x, static_cast<int>(star.y) + y));
        }
    }
    EXPECT_NEAR(sum, 20000.0, 400.0);
}

/// The median of a normal scatter is a quarter noisier than the mean; truth: the scatter of the stack itself, in squares.
TEST(StackFramesTest, OtherCombinationsStateTheirOwnNoise) {
    const MovingNight run(true);
    const PixelGrid grid{wcsAt(0.0, 0.0, 0.0), kSide, kSide};
    for (const auto combination :
         {combine::Combination::Median, combine::Combination::PercentileClip}) {
        StackOptions options;
        options.rule.combination = combination;
        const auto stack = stackFrames(run.frames, grid, options, {});
        const auto mean = stackFrames(run.frames, grid, {}, {});
        ASSERT_TRUE(stack && mean);
        EXPECT_GT(stack->noise, 1.05 * mean->noise);
        double squares = 0.0;
        int count = 0;
        for (int top = 168; top + 12 <= 228; top += 12) {
            for (int left = 12; left + 12 <= 228; left += 12) {
                double box = 0.0;
                for (int y = top; y < top + 12; ++y) {
                    for (int x = left; x < left + 12; ++x) {
                        box += static_cast<double>(stack->image.at(x, y));
                    }
                }
                squares += box * box / 144.0;
                ++count;
            }
        }
        EXPECT_NEAR(std::sqrt(squares / count) / stack->noise, 1.0, 0.25) << name(combination);
    }
}

TEST(StackFramesTest, NothingToStackIsSaid) {
    EXPECT_EQ(stackFrames({}, {}, {}, {}).error().id, ErrorId::StackNoFrames);
}

TEST(SplitInTimeTest, PausesCutFirst) {
    std::vector<Utc> times;
    for (const double minute : {0.0, 1.0, 2.0, 3.0, 60.0, 61.0, 62.0, 120.0, 121.0, 122.0}) {
        times.push_back(Utc::julian(2464000.0).plusSeconds(60.0 * minute));
    }
    const auto three = splitInTime(times, 3);
    ASSERT_EQ(three.size(), 3U);
    EXPECT_EQ(three[0].size(), 4U);
    EXPECT_EQ(three[1].front(), 4U);
    EXPECT_EQ(three[2].front(), 7U);
    EXPECT_EQ(splitInTime(times, 1).size(), 1U);
    const auto four = splitInTime(times, 4);
    ASSERT_EQ(four.size(), 4U);
    EXPECT_EQ(four[0].size(), 2U);
    EXPECT_EQ(four[1].size(), 2U);
    EXPECT_EQ(splitInTime(times, 99).size(), 10U);
    EXPECT_TRUE(splitInTime({}, 3).empty());
}

/// Frames at an even step: stacks of as many frames each.
TEST(SplitInTimeTest, WithoutPausesAllHoldAsMany) {
    std::vector<Utc> times;
    for (int i = 0; i < 29; ++i) {
        // A camera's step is never quite even.
        times.push_back(Utc::julian(2464000.0).plusSeconds(60.0 * i + 3.0 * (i * 7 % 5)));
    }
    for (const int count : {2, 3, 4, 5, 7}) {
        const auto groups = splitInTime(times, count);
        ASSERT_EQ(groups.size(), static_cast<std::size_t>(count));
        std::size_t next = 0;
        for (const auto& group : groups) {
            EXPECT_NEAR(static_cast<double>(group.size()), 29.0 / count, 1.0) << count;
            for (const std::size_t i : group) {
                EXPECT_EQ(i, next++);
            }
        }
        EXPECT_EQ(next, 29U);
    }
}

} // namespace
} // namespace pathmark::stack
