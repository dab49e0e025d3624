#include "tests/support/taken_frames.h"

#include <gtest/gtest.h>

#include <algorithm>

namespace pathmark::calibrate {
namespace {

TEST(MatchOverrideTest, TheObserverHasTheLastWordAndHearsWhatItCosts) {
    const auto groups = groupsOf({kLight, bias(), dark(), dark(120.0), flat()});
    const auto of = [&](FrameKind kind, double exposure) {
        return std::find_if(groups.begin(), groups.end(), [&](const FrameGroup& g) {
            return g.example.kind == kind && g.example.exposureSeconds == exposure;
        });
    };
    const auto light = of(FrameKind::Light, 60.0);
    const auto longDark = of(FrameKind::Dark, 120.0);
    const std::vector<Override> said{{Role::Dark, longDark->id}, {Role::Flat, {}}};
    const auto match = matchMasters(*light, groups, said);
    ASSERT_NE(match.choice(Role::Dark), nullptr);
    EXPECT_TRUE(match.choice(Role::Dark)->byHand);
    EXPECT_EQ(groups[match.choice(Role::Dark)->group].id, longDark->id);
    EXPECT_EQ(match.choice(Role::Flat), nullptr);
    std::string warnings;
    for (const auto& warning : match.warnings) {
        warnings += warning + "\n";
    }
    EXPECT_NE(warnings.find("You chose dark 120 s"), std::string::npos) << warnings;
    EXPECT_NE(warnings.find("its exposure is 120 s, not 60 s"), std::string::npos) << warnings;
    EXPECT_NE(warnings.find("No flat is used, because you chose none."), std::string::npos)
        << warnings;
}

TEST(MatchTest, EveryPassedOverDarkSaysWhatItWouldCost) {
    const auto groups = groupsOf({kLight,
                                  bias(),
                                  dark(),
                                  with(dark(), [](Taken& taken) { taken.night = -60.0; }),
                                  dark(120.0)});
    const auto light = std::find_if(groups.begin(), groups.end(), [](const FrameGroup& g) {
        return g.example.kind == FrameKind::Light;
    });
    const auto match = matchMasters(*light, groups);
    ASSERT_EQ(match.passedOver.size(), 2U);
    EXPECT_EQ(match.passedOver[0].objection(), nullptr);
    EXPECT_EQ(match.passedOver[0].costliestTerm(), "it was taken 60 days earlier");
    ASSERT_NE(match.passedOver[1].objection(), nullptr);
    EXPECT_EQ(match.passedOver[1].objection()->name, "exposure");
}

TEST(GroupFramesTest, UnlikeFramesPart) {
    const auto groups = groupsOf({kLight,
                                  lightWith([](Taken& taken) { taken.temperature = -10.1; }),
                                  lightWith([](Taken& taken) { taken.filter = "V"; }),
                                  lightWith([](Taken& taken) { taken.exposure = 30.0; }),
                                  lightWith([](Taken& taken) { taken.width = 128; }),
                                  lightWith([](Taken& taken) { taken.night = 1.0; }),
                                  lightWith([](Taken& taken) { taken.mode = "fast"; })});
    // A read-out mode that is not said may be another: each has a group of its own.
    ASSERT_EQ(groups.size(), 6U);
    const auto most = std::max_element(
        groups.begin(), groups.end(), [](const FrameGroup& a, const FrameGroup& b) {
            return a.frames.size() < b.frames.size();
        });
    EXPECT_EQ(most->frames.size(), 10U);
}

TEST(GroupFramesTest, DarksOfAMonthMakeOneMaster) {
    const auto groups = groupsOf({dark(),
                                  with(dark(), [](Taken& taken) { taken.night = 20.0; }),
                                  with(dark(), [](Taken& taken) { taken.night = 90.0; })});
    ASSERT_EQ(groups.size(), 2U);
    EXPECT_EQ(groups.front().frames.size(), 20U);
}

} // namespace
} // namespace pathmark::calibrate
