#include "core/night/body_frames.h"

#include "tests/support/moving_frames.h"

#include <gtest/gtest.h>

#include <cmath>

namespace pathmark::night {
namespace {

/// Frames on disk with their records, and predictions that are wrong by a place and a motion.
struct RecordedBody {
    test_support::MovingFrames night;
    std::vector<LightRecord> lights;
    std::vector<PredictionRecord> places;

    RecordedBody(const test_support::MovingFramesPlan& plan,
                 double eastArcsec,
                 double eastArcsecPerMin)
        : night(plan) {
        for (std::size_t i = 0; i < night.frames.size(); ++i) {
            const auto& frame = night.frames[i];
            LightRecord light;
            light.calibrated = frame.path;
            light.wcs = frame.place.wcs;
            light.middle = frame.middle;
            light.noiseElectrons = frame.noise;
            light.fwhmPixels = frame.fwhm;
            light.shape = detect::Moffat::round(frame.fwhm, 3.2);
            light.exposureSeconds = 30.0;
            lights.push_back(light);
            PredictionRecord place;
            place.time = frame.middle;
            const double minutes = frame.middle.secondsSince(night.frames[0].middle) / 60.0;
            const double off = eastArcsec + eastArcsecPerMin * (minutes - 0.5 * (plan.count - 1));
            place.sky = offsetBy(night.bodyAt(frame.middle), off, 0.0);
            const double east = plan.eastArcsecPerFrame + eastArcsecPerMin;
            place.rateArcsecPerMin = std::hypot(east, plan.northArcsecPerFrame);
            place.positionAngleDegrees =
                std::atan2(east, plan.northArcsecPerFrame) / kRadiansPerDegree;
            place.sigmaMajorArcsec = 1.0 + 0.03 * minutes;
            place.sigmaAngleDegrees = 90.0;
            places.push_back(place);
        }
    }

    [[nodiscard]] std::vector<BodyInLight> body() const {
        std::vector<BodyInLight> result;
        for (std::size_t i = 0; i < lights.size(); ++i) {
            result.push_back({&lights[i], &places[i]});
        }
        return result;
    }
};

/// The brightest pixel about the middle of a view, from the middle.
frame::PixelPos brightestNear(const frame::Image& view, int reach) {
    const int middle = view.width() / 2;
    frame::PixelPos best;
    float highest = -1e30F;
    for (int y = middle - reach; y <= middle + reach; ++y) {
        for (int x = middle - reach; x <= middle + reach; ++x) {
            if (view.at(x, y) > highest) {
                highest = view.at(x, y);
                best = {static_cast<double>(x - middle), static_cast<double>(y - middle)};
            }
        }
    }
    return best;
}

/// Truth: the motion that was painted, one scale and turned cameras; the prediction is 1.5" and 0.3"/min off.
TEST(BodyFramesTest, TheMotionThatTheFramesShowIsFound) {
    test_support::MovingFramesPlan plan;
    plan.bodyElectrons = 500.0;
    const RecordedBody made(plan, 1.5, 0.3);
    const auto body = made.body();
    const auto frames = BodyFrames::cut(body, 181, {});
    ASSERT_TRUE(frames) << frames.error().detail;
    EXPECT_EQ(frames->count(), plan.count);
    EXPECT_NEAR(frames->predicted().east, 6.3, 1e-6);
    EXPECT_NEAR(std::sqrt(frames->predictedError().east), 0.03, 1e-6);
    EXPECT_NEAR(frames->predictedError().north, 0.0, 1e-9);
    const MotionSurvey survey = frames->survey(frames->usualHalfWidth(), 41);
    EXPECT_EQ(survey.snr.width(), 41);
    ASSERT_TRUE(survey.fitted);
    const auto& found = *survey.fitted;
    EXPECT_NEAR(found.motion.east, 6.0, 4.0 * std::sqrt(found.covariance.east));
    EXPECT_NEAR(found.motion.north, -2.5, 4.0 * std::sqrt(found.covariance.north));
    EXPECT_LT(std::sqrt(found.covariance.east), 0.08);
    EXPECT_NEAR(found.eastArcsec, -1.5, 0.4);
    EXPECT_NEAR(found.northArcsec, 0.0, 0.4);
    EXPECT_GT(found.snr, 8.0);
    EXPECT_GT(found.snr, 1.5 * frames->snrAt({7.5, -2.5}, survey));
    // East is to the left and north up: the peak of the plane lies right of its middle.
    int best = 0;
    for (int k = 1; k < 41 * 41; ++k) {
        const auto at = [&](int i) { return survey.snr.pixels()[static_cast<std::size_t>(i)]; };
        best = at(k) > at(best) ? k : best;
    }
    EXPECT_NEAR(best % 41, 20.0 + 20.0 * 0.3 / survey.halfWidth, 2.0);
    const int row = best / 41;
    EXPECT_NEAR(row, 20.0, 2.0);
    // At the true motion both halves show it at one place, at a false one beside it.
    const auto first = brightestNear(frames->stackedAt(found.motion, StackPart::FirstHalf), 9);
    const auto second = brightestNear(frames->stackedAt(found.motion, StackPart::SecondHalf), 9);
    EXPECT_LT(std::hypot(first.x - second.x, first.y - second.y), 2.5);
    EXPECT_NEAR(0.5 * (first.x + second.x), 1.5, 1.6);
    const auto early = brightestNear(frames->stackedAt({7.0, -2.5}, StackPart::FirstHalf), 9);
    const auto late = brightestNear(frames->stackedAt({7.0, -2.5}, StackPart::SecondHalf), 9);
    EXPECT_GT(late.x - early.x, 2.5);
}

TEST(BodyFramesTest, OneFrameHasNoMotion) {
    test_support::MovingFramesPlan plan;
    plan.count = 2;
    const RecordedBody made(plan, 0.0, 0.0);
    const auto body = made.body();
    const auto frames = BodyFrames::cut(std::span(body).first(1), 101, {});
    ASSERT_FALSE(frames);
    EXPECT_EQ(frames.error().id, ErrorId::StackNoFrames);
}

} // namespace
} // namespace pathmark::night
