#include "core/night/hand_measurements.h"

#include <gtest/gtest.h>

#include <algorithm>

namespace pathmark::night {
namespace {

Utc at(double seconds) {
    return parseUtc("2034-03-17T22:00:00")->plusSeconds(seconds);
}

MeasuredHere
seenOn(const std::string& frame, double seconds, const SkyPos& place, double snr = 20.0) {
    MeasuredHere here;
    here.record.frame = FrameId(frame);
    here.record.picture = "/somewhere/" + frame + ".fits";
    here.record.time = at(seconds);
    here.record.seen = true;
    here.record.sky = place;
    here.record.snr = snr;
    here.record.magnitude = 17.0;
    return here;
}

std::vector<LightRecord> twoLights() {
    std::vector<LightRecord> all(2);
    all[0].frame = FrameId("a");
    all[0].calibrated = "/now/a.fits";
    all[1].frame = FrameId("b");
    all[1].calibrated = "/now/b.fits";
    return all;
}

/// A prediction one arcsec to the south of where a light was seen.
PredictionRecord predictedNear(const SkyPos& place) {
    PredictionRecord p;
    p.body = BodyId::of("(7)");
    p.sky = offsetBy(place, 0.0, -1.0);
    return p;
}

TEST(HandMeasurementTest, IsKeptDoubtedAndNamedAsItShouldBe) {
    const SkyPos place = skyDegrees(150.0, 10.0);
    const auto own = keptUnder("x1", seenOn("a", 0.0, place), {place}, nullptr);
    EXPECT_TRUE(own.record->candidate);
    EXPECT_EQ(own.record->state, MeasurementState::Kept);
    EXPECT_TRUE(own.record->picture.empty()) << "a night moves";
    const PredictionRecord prediction = predictedNear(place);
    const auto body = keptUnder("(7)", seenOn("a", 0.0, place), {place}, &prediction);
    EXPECT_FALSE(body.record->candidate);
    EXPECT_NEAR(body.record->observedMinusComputedDec, 1.0, 1e-6);
    EXPECT_NEAR(body.record->observedMinusComputedRa, 0.0, 1e-6);
    EXPECT_NE(own.measurement, body.measurement);
    for (const char* name : {"2034 EW2", "C/2033 T4"}) {
        EXPECT_FALSE(keptUnder(name, seenOn("a", 0.0, place), {place}, nullptr).record->candidate);
    }
    const auto faint = keptUnder("x1", seenOn("a", 0.0, place, 4.0), {place}, nullptr);
    EXPECT_EQ(faint.record->state, MeasurementState::Parked);
}

TEST(HandMeasurementTest, DecisionsAreLaidOverWhatARunMade) {
    const SkyPos place = skyDegrees(150.0, 10.0);
    const PredictionRecord prediction = predictedNear(place);
    MeasurementRecord run;
    run.body = BodyId::of("(7)");
    run.frame = FrameId("a");
    run.id = measurementId(run.body, {run.frame});
    run.seen = true;
    Decided decided;
    const auto kept = keptUnder("(7)", seenOn("a", 0.0, place), {place}, &prediction);
    decided.apply(Decision(kept));
    std::vector<MeasurementRecord> list{run};
    layByHand(decided, twoLights(), list);
    ASSERT_EQ(list.size(), 2U);
    const auto byHand = std::find_if(list.begin(), list.end(), isByHand);
    ASSERT_NE(byHand, list.end());
    EXPECT_EQ(byHand->picture, "/now/a.fits");
    const auto made = std::find_if_not(list.begin(), list.end(), isByHand);
    EXPECT_EQ(made->state, MeasurementState::Dropped);
    EXPECT_FALSE(made->reason.empty());
    // A run that measured it again: what it found stands, once.
    MeasurementRecord again = *byHand;
    again.snr = 33.0;
    list = {run, again};
    layByHand(decided, twoLights(), list);
    ASSERT_EQ(list.size(), 2U);
    EXPECT_DOUBLE_EQ(std::find_if(list.begin(), list.end(), isByHand)->snr, 33.0);
    // Undone.
    decided.apply(Decision(KeepByHand{kept.measurement, HandModel::Light, std::nullopt}));
    layByHand(decided, twoLights(), list);
    EXPECT_EQ(list.size(), 1U);
    // A frame that is no longer of the night.
    decided.apply(Decision(keptUnder("x1", seenOn("gone", 0.0, place), {place}, nullptr)));
    layByHand(decided, twoLights(), list);
    EXPECT_EQ(list.size(), 1U);
}

TEST(HandMeasurementTest, SurvivesTheHistory) {
    const SkyPos place = skyDegrees(150.0, 10.0);
    const auto kept = keptUnder("x1", seenOn("a", 12.5, place), {place, HandModel::Place}, nullptr);
    const auto back = decisionsFrom(toText({kept, SwitchStar{1234567890123456789, true}}));
    ASSERT_EQ(back.size(), 2U);
    const auto& read = std::get<KeepByHand>(back[0]);
    EXPECT_EQ(read.measurement, kept.measurement);
    EXPECT_EQ(read.model, HandModel::Place);
    EXPECT_EQ(read.record->body, kept.record->body);
    EXPECT_NEAR(separation(read.record->sky, place).arcsec(), 0.0, 1e-6);
    EXPECT_NEAR(read.record->time.secondsSince(at(12.5)), 0.0, 1e-3);
    EXPECT_EQ(std::get<SwitchStar>(back[1]).star, 1234567890123456789);
}

/// Truth: a straight line at an even rate.
TEST(HandMeasurementTest, TheNextPlaceLiesOnTheMotionOfTheNearestTwo) {
    const SkyPos start = skyDegrees(150.0, 10.0);
    std::vector<MeasurementRecord> kept;
    EXPECT_FALSE(carriedTo(kept, at(0.0)));
    for (const double seconds : {0.0, 600.0, 1200.0}) {
        const SkyPos place = offsetBy(start, 0.02 * seconds, -0.01 * seconds);
        const std::string frame = "f" + std::to_string(static_cast<int>(seconds));
        kept.push_back(*keptUnder("x1", seenOn(frame, seconds, place), {place}, nullptr).record);
        const auto next = carriedTo(kept, at(1800.0));
        ASSERT_TRUE(next);
        const SkyPos truth =
            kept.size() < 2 ? start : offsetBy(start, 0.02 * 1800.0, -0.01 * 1800.0);
        EXPECT_LT(separation(*next, truth).arcsec(), 0.01);
    }
}

} // namespace
} // namespace pathmark::night
