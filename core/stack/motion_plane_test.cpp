#include "core/stack/motion_plane.h"

#include "tests/support/moving_frames.h"
#include "tests/support/photons.h"

#include <gtest/gtest.h>

#include <cmath>
#include <numeric>

namespace pathmark::stack {
namespace {

constexpr int kGridSide = 97;
constexpr double kMiddle = 48.0;
constexpr double kSkyNoise = 20.0;
constexpr double kStarFwhm = 3.1;
constexpr double kStarBeta = 3.0;

struct MadeBody {
    frame::PixelPos place;
    GridMotion motion;
    double electrons = 200.0;
};

PixelGrid gridOfOneArcsec() {
    return {test_support::turnedWcs(0.0, {kMiddle, kMiddle}), kGridSide, kGridSide};
}

/// Frames of a body whose light falls photon by photon on sky noise; every third frame is less deep.
MovingFrames framesOf(const MadeBody& body, int count, test_support::Photons& photons) {
    std::vector<MovingFrame> frames;
    photons.setBlur(kStarFwhm, kStarBeta, 0.0, 0.0);
    for (int k = 0; k < count; ++k) {
        MovingFrame frame;
        frame.minutes = 2.0 * (k - 0.5 * (count - 1));
        frame.noise = k % 3 == 0 ? 1.5 * kSkyNoise : kSkyNoise;
        frame.weight = 1.0 / (frame.noise * frame.noise);
        frame.star = detect::Moffat::round(kStarFwhm, kStarBeta);
        frame.light = frame::Image(kGridSide, kGridSide);
        for (float& v : frame.light.pixels()) {
            v = static_cast<float>(photons.normal(frame.noise));
        }
        photons.point(frame.light,
                      body.place.x + body.motion.x * frame.minutes,
                      body.place.y + body.motion.y * frame.minutes,
                      body.electrons);
        frames.push_back(std::move(frame));
    }
    return {gridOfOneArcsec(), std::move(frames)};
}

/// Truth: the places and motions that the photons were drawn about. Bodies of S/N 2 to 3.5 a frame: each is found, places and motions
/// scatter as their errors say, and the S/N is that of the light that was drawn.
TEST(MotionPlaneTest, PlacesAndMotionsAreOffByWhatTheirErrorsSay) {
    test_support::Photons photons(71);
    constexpr int kBodies = 150;
    constexpr int kCount = 16;
    double placeChi = 0.0;
    double motionChi = 0.0;
    double whole = 0.0;
    int found = 0;
    for (int k = 0; k < kBodies; ++k) {
        const MadeBody body{{kMiddle + 3.0 * photons.uniform(), kMiddle - 2.0 * photons.uniform()},
                            {0.3 * photons.uniform() - 0.15, 0.3 * photons.uniform() - 0.15},
                            230.0 + 150.0 * photons.uniform()};
        const auto frames = framesOf(body, kCount, photons);
        const PointSums sums(frames, 20.0);
        const auto fit = fitMotion(sums, {{kMiddle, kMiddle}, {}}, {0.2, 0.2}, 4.0, 4.0);
        if (!fit) {
            continue;
        }
        ++found;
        const Eigen::Vector4d off(fit->track.place.x - body.place.x,
                                  fit->track.place.y - body.place.y,
                                  fit->track.faster.x - body.motion.x,
                                  fit->track.faster.y - body.motion.y);
        placeChi +=
            off.head<2>().dot(fit->covariance.topLeftCorner<2, 2>().inverse() * off.head<2>());
        motionChi +=
            off.tail<2>().dot(fit->covariance.bottomRightCorner<2, 2>().inverse() * off.tail<2>());
        whole += off.dot(fit->covariance.inverse() * off);
    }
    EXPECT_GE(found, kBodies - 2);
    EXPECT_NEAR(placeChi / (2.0 * found), 1.0, 0.2);
    EXPECT_NEAR(motionChi / (2.0 * found), 1.0, 0.2);
    EXPECT_NEAR(whole / (4.0 * found), 1.0, 0.15);
}

/// Truth: light over the noise of a matched filter, sqrt(sum of P^2 over pixels), P counted from a million photons.
TEST(MotionPlaneTest, TheSignalToNoiseIsThatOfTheLight) {
    test_support::Photons photons(5);
    photons.setBlur(kStarFwhm, kStarBeta, 0.0, 0.0);
    frame::Image star(31, 31, 0.0F);
    photons.point(star, 15.0, 15.0, 1e6);
    double squares = 0.0;
    for (const float v : star.pixels()) {
        squares += std::pow(static_cast<double>(v) / 1e6, 2.0);
    }
    constexpr int kCount = 12;
    double sum = 0.0;
    constexpr int kTries = 60;
    for (int k = 0; k < kTries; ++k) {
        const MadeBody body{{kMiddle, kMiddle}, {0.1, -0.05}, 220.0};
        const auto frames = framesOf(body, kCount, photons);
        sum += PointSums(frames, 12.0).snr({body.place, body.motion}) / kTries;
    }
    double information = 0.0;
    for (int k = 0; k < kCount; ++k) {
        information += squares / std::pow(k % 3 == 0 ? 1.5 * kSkyNoise : kSkyNoise, 2.0);
    }
    EXPECT_NEAR(sum / (220.0 * std::sqrt(information)), 1.0, 0.04);
}

TEST(MotionPlaneTest, AStarOnTheWayIsNotTheBody) {
    test_support::Photons photons(9);
    const MadeBody body{{kMiddle, kMiddle}, {0.1, 0.05}, 260.0};
    auto frames = framesOf(body, 14, photons);
    auto spoiled = frames.frames();
    for (const std::size_t k : {2U, 3U}) {
        photons.point(spoiled[k].light,
                      kMiddle + body.motion.x * spoiled[k].minutes + 1.0,
                      kMiddle + body.motion.y * spoiled[k].minutes,
                      40000.0);
    }
    const MovingFrames withStar(frames.grid(), std::move(spoiled));
    const PointTrack track{body.place, body.motion};
    const PointSums sums(withStar, 12.0);
    EXPECT_EQ(sums.countedOn(track).size(), 12U);
    const auto fit = fitMotion(sums, {body.place, {}}, {0.2, 0.2}, 2.0, 5.0);
    ASSERT_TRUE(fit);
    EXPECT_NEAR(fit->track.faster.x, body.motion.x, 5.0 * std::sqrt(fit->covariance(2, 2)));
    EXPECT_NEAR(fit->track.faster.y, body.motion.y, 5.0 * std::sqrt(fit->covariance(3, 3)));
}

TEST(MotionPlaneTest, NothingIsFoundInNoise) {
    test_support::Photons photons(33);
    int found = 0;
    for (int k = 0; k < 20; ++k) {
        const auto frames = framesOf({{kMiddle, kMiddle}, {}, 0.0}, 10, photons);
        found += fitMotion(PointSums(frames, 15.0), {{kMiddle, kMiddle}, {}}, {0.1, 0.1}, 2.0, 6.0)
                     ? 1
                     : 0;
    }
    EXPECT_EQ(found, 0);
}

TEST(MotionPlaneTest, ThePlaneIsHighestAtTheBodysMotion) {
    test_support::Photons photons(12);
    const MadeBody body{{kMiddle, kMiddle}, {0.12, -0.08}, 500.0};
    const PointSums sums(framesOf(body, 12, photons), 16.0);
    const auto plane = sums.plane({body.place, {}}, {0.2, 0.2}, 41);
    int best = 0;
    for (int k = 1; k < 41 * 41; ++k) {
        if (plane.pixels()[static_cast<std::size_t>(k)] >
            plane.pixels()[static_cast<std::size_t>(best)]) {
            best = k;
        }
    }
    EXPECT_NEAR(0.2 * (best % 41 - 20.0) / 20.0, 0.12, 0.045);
    const int row = best / 41;
    EXPECT_NEAR(0.2 * (row - 20.0) / 20.0, -0.08, 0.045);
}

/// Truth: what was painted. Frames that were turned and shifted, with stars, from disk; the grid follows a motion that is wrong on
/// purpose, and the fit brings the right one back.
TEST(MovingFramesTest, FramesOfTheSkyAreCutAboutABody) {
    test_support::MovingFramesPlan plan;
    plan.bodyElectrons = 1200.0;
    const test_support::MovingFrames night(plan);
    auto frames = night.frames;
    const Utc middle = middleOf(frames);
    const SkyPos at = night.bodyAt(middle);
    const PixelGrid grid = gridAround(at, frames.front().place.wcs, 201, 201);
    constexpr double kWrong = 0.4; // arcsec per minute, eastwards
    for (auto& frame : frames) {
        frame.place.shift = toTangentPlane(at, night.bodyAt(frame.middle));
        frame.place.shift.xi +=
            kWrong * kRadiansPerArcsec * frame.middle.secondsSince(middle) / 60.0;
    }
    const auto moving = MovingFrames::cut(frames, grid, 4.0, {});
    ASSERT_TRUE(moving) << moving.error().detail;
    const PointSums sums(*moving, 30.0);
    const auto fit = fitMotion(sums, {sums.middle(), {}}, {1.0, 1.0}, 3.0, 6.0);
    ASSERT_TRUE(fit);
    const PlanePos faster = toSky(fit->track.faster, grid.wcs);
    EXPECT_NEAR(faster.xi / kRadiansPerArcsec, -kWrong, 0.05);
    EXPECT_NEAR(faster.eta / kRadiansPerArcsec, 0.0, 0.05);
    EXPECT_NEAR(fit->track.place.x, sums.middle().x, 0.5);
    EXPECT_NEAR(fit->track.place.y, sums.middle().y, 0.5);
    // The view at that motion shows it where it is.
    std::vector<std::size_t> all(moving->frames().size());
    std::iota(all.begin(), all.end(), 0U);
    const auto view =
        moving->stacked(fit->track.faster, all, {combine::Combination::SigmaClip, 4.0});
    const auto cx = static_cast<int>(std::lround(sums.middle().x));
    float highest = 0.0F;
    int highestX = 0;
    int highestY = 0;
    for (int y = cx - 12; y <= cx + 12; ++y) {
        for (int x = cx - 12; x <= cx + 12; ++x) {
            if (view.at(x, y) > highest) {
                highest = view.at(x, y);
                highestX = x;
                highestY = y;
            }
        }
    }
    EXPECT_NEAR(highestX, sums.middle().x, 1.0);
    EXPECT_NEAR(highestY, sums.middle().y, 1.0);
    // The stars are still known: on themselves they are as bright as they were painted, a hundred times the view's brightest pixel.
    const double along = night.plan.eastArcsecPerFrame + kWrong;
    const PlanePos still{-along * kRadiansPerArcsec,
                         -night.plan.northArcsecPerFrame * kRadiansPerArcsec};
    const auto brightest = [&](Starlight starlight) {
        const auto onStars = moving->stacked(
            toGrid(still, grid.wcs), all, {combine::Combination::Median}, starlight);
        float most = 0.0F;
        for (const float v : onStars.pixels()) {
            most = std::isfinite(v) ? std::max(most, v) : most;
        }
        return most;
    };
    EXPECT_GT(brightest(Starlight::Kept), 1000.0F);
    EXPECT_LT(brightest(Starlight::LeftOut), 200.0F);
}

TEST(MovingFramesTest, APlaceThatNoFrameShowsIsSaid) {
    test_support::MovingFramesPlan plan;
    plan.count = 3;
    const test_support::MovingFrames night(plan);
    const auto& frames = night.frames;
    const auto none = MovingFrames::cut(
        frames, gridAround(skyDegrees(180.0, -30.0), frames.front().place.wcs, 64, 64), 3.0, {});
    ASSERT_FALSE(none);
    EXPECT_EQ(none.error().id, ErrorId::StackNoFrames);
}

/// A comet that moves little beside its coma, and no star: all that stands out at one place for long is its own, and no pixel of the
/// frames is taken for a star's. Truth: nothing but the comet was painted.
TEST(MotionPlaneTest, AComasEdgeIsNoStar) {
    const test_support::MovingFrames series({.count = 8,
                                             .stars = 0,
                                             .bodyElectrons = 0.0,
                                             .comaElectrons = 60000.0,
                                             .eastArcsecPerFrame = 2.0,
                                             .northArcsecPerFrame = 1.0});
    auto frames = series.frames;
    for (std::size_t i = 0; i < frames.size(); ++i) {
        frames[i].place.shift = toTangentPlane(skyDegrees(100.0, 30.0), series.body[i]);
    }
    constexpr int side = 161;
    const PixelGrid grid{test_support::turnedWcs(0.0, {80.0, 80.0}), side, side};
    const auto cut = MovingFrames::cut(frames, grid, kStarBeta, {});
    ASSERT_TRUE(cut);
    std::size_t lost = 0;
    for (const MovingFrame& frame : cut->frames()) {
        for (const float v : frame.light.pixels()) {
            lost += std::isfinite(v) ? 0U : 1U;
        }
    }
    EXPECT_LT(lost, 4U * side * side / 1000U); // of eight frames one pixel in two thousand
}

} // namespace
} // namespace pathmark::stack
