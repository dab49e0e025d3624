#include "core/night/stack_motion.h"

#include <gtest/gtest.h>

namespace pathmark::night {
namespace {

const BodyId kBody = BodyId::of("2034 EW2");

LightRecord light(const std::string& name) {
    LightRecord light;
    light.frame = FrameId(name);
    light.series = SeriesId(name.substr(0, 1));
    return light;
}

PredictionRecord place(const std::string& frame, double minutes, double rate, double angle) {
    PredictionRecord p;
    p.body = kBody;
    p.frame = FrameId(frame);
    p.time = parseUtc("2034-03-17T22:00:00").value().plusSeconds(60.0 * minutes);
    p.rateArcsecPerMin = rate;
    p.positionAngleDegrees = angle;
    return p;
}

/// Truth: by hand. The orbit goes east at 2 "/min in one series and north at 1 in the other; 3 to the north is wanted.
TEST(StackMotionTest, WhatIsBeyondTheOrbitCountsFromTheMiddleOfEachSeries) {
    const std::vector<LightRecord> lights{light("a0"), light("a1"), light("a2"), light("b0")};
    const std::vector<PredictionRecord> predictions{place("b0", 90.0, 1.0, 0.0),
                                                    place("a2", 20.0, 2.0, 90.0),
                                                    place("a0", 0.0, 2.0, 90.0),
                                                    place("a1", 8.0, 2.0, 90.0)};
    const auto decisions = addOnMotion(lights, predictions, kBody, SkyMotion{0.0, 3.0});
    ASSERT_TRUE(decisions);
    ASSERT_EQ(decisions->size(), 2U);
    const BeyondOrbit& a = *decisions->at(0).beyond;
    EXPECT_EQ(decisions->at(0).series, SeriesId("a"));
    EXPECT_NEAR(a.at.secondsSince(predictions[2].time), 480.0, 1e-6);
    EXPECT_NEAR(a.eastArcsecPerMin, -2.0, 1e-12);
    EXPECT_NEAR(a.northArcsecPerMin, 3.0, 1e-12);
    EXPECT_NEAR(decisions->at(1).beyond->northArcsecPerMin, 2.0, 1e-12);
    // At the end of the first series it is 24" west and 36" north of where its orbit has it.
    const SkyPos orbit = skyDegrees(100.0, 60.0);
    const PlanePos off = toTangentPlane(orbit, a.from(orbit, predictions[1].time));
    EXPECT_NEAR(off.xi / kRadiansPerArcsec, -24.0, 1e-4);
    EXPECT_NEAR(off.eta / kRadiansPerArcsec, 36.0, 1e-4);
}

TEST(StackMotionTest, ADecisionIsStoredTakenInAndTakenBack) {
    const std::vector<LightRecord> lights{light("a0")};
    const std::vector<PredictionRecord> predictions{place("a0", 0.0, 2.0, 90.0)};
    Decided decided;
    for (const auto& motion : {std::optional(SkyMotion{1.0, 2.0}), std::optional<SkyMotion>()}) {
        const auto made = addOnMotion(lights, predictions, kBody, motion);
        ASSERT_TRUE(made);
        for (const Decision& read : decisionsFrom(toText({made->front()}))) {
            decided.apply(read);
        }
        const auto found = decided.motions.find({kBody, SeriesId("a")});
        ASSERT_EQ(found != decided.motions.end(), motion.has_value());
        if (motion) {
            EXPECT_EQ(found->second, *made->front().beyond);
        }
    }
}

TEST(StackMotionTest, ABodyThatIsInNoFrameIsSaid) {
    const std::vector<LightRecord> lights{light("a0")};
    const auto none = addOnMotion(lights, {}, kBody, SkyMotion{});
    ASSERT_FALSE(none);
    EXPECT_EQ(none.error().id, ErrorId::NightUnknownId);
}

} // namespace
} // namespace pathmark::night
