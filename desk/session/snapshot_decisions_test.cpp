#include "desk/session/snapshot_decisions.h"

#include "core/night/night_file.h"
#include "tests/support/temporary_folder.h"

#include <gtest/gtest.h>

#include <random>

namespace pathmark::desk {
namespace {

using test_support::TemporaryFolder;

constexpr int kLights = 6;
constexpr int kMeasurements = 12;

NightSnapshot someNight() {
    NightSnapshot night;
    std::vector<night::MeasurementRecord> made;
    for (int i = 0; i < kLights; ++i) {
        night::LightRecord light;
        light.frame = night::FrameId("f" + std::to_string(i));
        light.series = night::SeriesId("s");
        night.lights.edit().push_back(light);
    }
    for (int i = 0; i < kMeasurements; ++i) {
        night::MeasurementRecord m;
        m.id = "m" + std::to_string(i);
        m.body = orbit::BodyId::of(i % 2 == 0 ? "even" : "odd");
        m.frame = night::FrameId("f" + std::to_string(i / 2));
        m.seen = i != 5;
        m.state = i == 3 ? night::MeasurementState::Parked : night::MeasurementState::Kept;
        m.reason = i == 3 ? "near a star" : "";
        made.push_back(m);
    }
    night.made = std::move(made);
    applyAll(night);
    return night;
}

/// Any act that a view could make.
night::Act anyAct(std::mt19937& random) {
    const auto pick = [&](int count) {
        return static_cast<int>(random() % static_cast<unsigned>(count));
    };
    night::Act act{"act " + std::to_string(random()), {}};
    for (int i = 0; i <= pick(3); ++i) {
        switch (pick(4)) {
        case 0:
            act.decisions.emplace_back(night::LeaveOut{
                night::FrameId("f" + std::to_string(pick(kLights))), pick(2) == 0, "rule"});
            break;
        case 1:
            act.decisions.emplace_back(night::JudgeMeasurement{
                "m" + std::to_string(pick(kMeasurements)),
                pick(4) == 0 ? std::nullopt
                             : std::optional(static_cast<night::MeasurementState>(pick(3))),
                "by hand"});
            break;
        case 2:
            act.decisions.emplace_back(
                night::SwitchObservation{"o" + std::to_string(pick(4)), pick(2) == 0});
            break;
        default:
            act.decisions.emplace_back(night::SetKind{
                night::FrameId("f" + std::to_string(pick(kLights))), frame::FrameKind::Dark});
        }
    }
    return act;
}

/// Truth: the night file, which keeps the history by itself, and its decisions laid over all measurements anew.
TEST(SnapshotDecisionsTest, ShowAndStoreTheSameWhateverIsDecided) {
    const TemporaryFolder folder;
    auto file = night::NightFile::open(folder / "n.pmnight");
    ASSERT_TRUE(file);
    NightSnapshot night = someNight();
    std::mt19937 random(11);
    for (int step = 0; step < 200; ++step) {
        const auto what = random() % 5U;
        if (what < 3) {
            const night::Act act = anyAct(random);
            decide(night, act, "2034-03-17T20:00:00Z");
            ASSERT_TRUE(file->decide(act));
        } else {
            const auto shown = what == 3 ? undo(night) : redo(night);
            const auto stored = what == 3 ? file->undo() : file->redo();
            ASSERT_TRUE(stored);
            ASSERT_EQ(shown.has_value(), !stored->empty()) << "step " << step;
            if (shown) {
                EXPECT_EQ(shown->words, stored->front().words);
            }
        }
        const auto history = file->history().value();
        ASSERT_EQ(night.history.size(), history.size());
        for (std::size_t i = 0; i < history.size(); ++i) {
            ASSERT_EQ(night.history[i].inForce, history[i].inForce);
            ASSERT_EQ(night.history[i].act.words, history[i].act.words);
        }
        const auto decided = night::Decided::after(history);
        std::vector<night::MeasurementRecord> judged = night.made;
        decided.judge(judged);
        int kept = 0;
        for (std::size_t i = 0; i < judged.size(); ++i) {
            ASSERT_EQ(night.measurements[i].state, judged[i].state) << "step " << step;
            ASSERT_EQ(night.measurements[i].reason, judged[i].reason);
            kept += judged[i].seen && judged[i].state == night::MeasurementState::Kept ? 1 : 0;
        }
        int counted = 0;
        for (const BodyView& body : night.bodies) {
            counted += body.kept;
        }
        ASSERT_EQ(counted, kept);
        for (std::size_t i = 0; i < night.lights.size(); ++i) {
            ASSERT_EQ(night.excluded[i], decided.leftOut.contains(night.lights[i].frame));
        }
        ASSERT_EQ(night.decided->observationsOff, decided.observationsOff);
        ASSERT_EQ(night.decided->kinds, decided.kinds);
    }
}

TEST(SnapshotDecisionsTest, AnEarlierSnapshotStaysAsItWas) {
    const NightSnapshot before = someNight();
    NightSnapshot after = before;
    decide(after,
           {"drop",
            {night::JudgeMeasurement{"m0", night::MeasurementState::Dropped, "by hand"},
             night::LeaveOut{night::FrameId("f2"), true, ""}}},
           "");
    EXPECT_EQ(before.measurements[0].state, night::MeasurementState::Kept);
    EXPECT_EQ(after.measurements[0].state, night::MeasurementState::Dropped);
    EXPECT_FALSE(before.excluded[2]);
    EXPECT_TRUE(after.excluded[2]);
    EXPECT_TRUE(before.history.empty());
    // What the decision is not about is the same, not a copy.
    EXPECT_EQ(&before.measurements[1], &after.measurements[1]);
    EXPECT_TRUE(before.lights.isSameAs(after.lights));
    EXPECT_TRUE(before.made.isSameAs(after.made));
    EXPECT_FALSE(before.decided.isSameAs(after.decided));
}

TEST(SnapshotDecisionsTest, WhatAnotherRunNoLongerHasIsPassedOver) {
    NightSnapshot night = someNight();
    decide(night,
           {"gone",
            {night::JudgeMeasurement{"nowhere", night::MeasurementState::Dropped, ""},
             night::LeaveOut{night::FrameId("nowhere"), true, ""}}},
           "");
    EXPECT_EQ(night.history.size(), 1U);
    EXPECT_EQ(undo(night)->words, "gone");
    EXPECT_FALSE(undo(night));
    EXPECT_EQ(earliestUndone(night)->words, "gone");
    EXPECT_EQ(latestInForce(night), nullptr);
}

TEST(SharedTest, ACopyIsMadeOnlyWhereOthersShareIt) {
    Shared<std::vector<int>> one = std::vector{1, 2, 3};
    const int* data = (*one).data();
    one.edit().at(0) = 5;
    EXPECT_EQ((*one).data(), data) << "nobody shares it";
    const Shared<std::vector<int>> other = one;
    one.edit().at(0) = 7;
    EXPECT_EQ(other[0], 5);
    EXPECT_EQ(one[0], 7);
}

} // namespace
} // namespace pathmark::desk
