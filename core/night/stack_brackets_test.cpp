#include "core/night/stack_brackets.h"

#include <gtest/gtest.h>

namespace pathmark::night {
namespace {

/// Two series that take turns: a0 b0 a1 b1 a2 b2 a3 b3.
std::vector<LightRecord> inTurns() {
    std::vector<LightRecord> lights;
    for (int i = 0; i < 8; ++i) {
        LightRecord light;
        const std::string name = (i % 2 == 0 ? "a" : "b") + std::to_string(i / 2);
        light.frame = FrameId(name);
        light.raw = "/n/" + name + ".fits";
        light.series = SeriesId(name.substr(0, 1));
        lights.push_back(light);
    }
    return lights;
}

/// "a0 a1 | a3" for the brackets of a series.
std::string told(const Decided& decided, const std::string& series) {
    std::string text;
    const auto known = decided.brackets.find(SeriesId(series));
    if (known == decided.brackets.end()) {
        return text;
    }
    for (const auto& bracket : known->second) {
        text += text.empty() ? "" : " |";
        for (const FrameId& frame : bracket) {
            text += (text.empty() ? "" : " ") + frame.text();
        }
    }
    return text;
}

class StackBracketsTest : public testing::Test {
  protected:
    void draw(const std::string& first, const std::string& last) {
        const auto change = withBracket(lights_, decided_, FrameId(first), FrameId(last));
        ASSERT_TRUE(change) << change.error().detail;
        decided_.apply(*change);
    }

    bool drop(const std::string& frame) {
        const auto change = withoutBracket(lights_, decided_, FrameId(frame));
        if (change) {
            decided_.apply(*change);
        }
        return change.has_value();
    }

    std::vector<LightRecord> lights_ = inTurns();
    Decided decided_;
};

TEST_F(StackBracketsTest, HoldTheFramesOfOneSeriesOnly) {
    draw("a0", "a2");
    EXPECT_EQ(told(decided_, "a"), "a0 a1 a2");
    EXPECT_EQ(told(decided_, "b"), "");
    draw("b3", "b1"); // either way round
    EXPECT_EQ(told(decided_, "b"), "b1 b2 b3");
    EXPECT_EQ(told(decided_, "a"), "a0 a1 a2");
}

TEST_F(StackBracketsTest, TakeFramesFromEachOtherAndStandInOrderOfTime) {
    draw("a2", "a3");
    draw("a0", "a0");
    EXPECT_EQ(told(decided_, "a"), "a0 | a2 a3");
    draw("a1", "a2");
    EXPECT_EQ(told(decided_, "a"), "a0 | a1 a2 | a3");
    draw("a0", "a3");
    EXPECT_EQ(told(decided_, "a"), "a0 a1 a2 a3") << "those that were swallowed are gone";
}

TEST_F(StackBracketsTest, AreTakenAwayOneByOneAndTheLastLeavesNothing) {
    draw("a0", "a1");
    draw("a2", "a3");
    EXPECT_FALSE(drop("b0"));
    EXPECT_FALSE(drop("unknown"));
    EXPECT_TRUE(drop("a1"));
    EXPECT_EQ(told(decided_, "a"), "a2 a3");
    EXPECT_FALSE(drop("a1"));
    EXPECT_TRUE(drop("a2"));
    EXPECT_TRUE(decided_.brackets.empty()) << "the recipe's groups count again";
}

TEST_F(StackBracketsTest, TwoSeriesAndStrangersAreRefusedInASentence) {
    const auto mixed = withBracket(lights_, decided_, FrameId("a0"), FrameId("b2"));
    ASSERT_FALSE(mixed);
    EXPECT_EQ(mixed.error().id, ErrorId::NightUnknownId);
    EXPECT_NE(mixed.error().detail.find("a0.fits and b2.fits"), std::string::npos);
    EXPECT_FALSE(withBracket(lights_, decided_, FrameId("a0"), FrameId("c0")));
    lights_[2].frame = FrameId(); // a frame that no run has read yet
    EXPECT_FALSE(withBracket(lights_, decided_, FrameId(), FrameId("a2")));
}

TEST_F(StackBracketsTest, AreKeptInTheHistory) {
    draw("a0", "a2");
    const Decision decision = *withBracket(lights_, {}, FrameId("a0"), FrameId("a2"));
    Decided again;
    for (const Decision& read : decisionsFrom(toText({decision}))) {
        again.apply(read);
    }
    EXPECT_EQ(again.brackets, decided_.brackets);
}

} // namespace
} // namespace pathmark::night
