#include "desk/evidence/brightness_bench.h"

#include <gtest/gtest.h>

namespace pathmark::desk {
namespace {

night::MeasurementRecord measured(const std::string& frame,
                                  std::optional<double> magnitude,
                                  night::MeasurementState state = night::MeasurementState::Kept) {
    night::MeasurementRecord m;
    m.id = frame;
    m.frame = night::FrameId(frame);
    m.time = *parseUtc("2034-03-17T22:00:00");
    m.seen = true;
    m.magnitude = magnitude;
    m.magnitudeError = 0.02;
    m.state = state;
    return m;
}

TEST(BrightnessSetsTest, EachMeasurementStandsInItsSetUnderItsPlace) {
    night::MeasurementRecord unseen = measured("d", 19.0);
    unseen.seen = false;
    const std::vector<night::MeasurementRecord> list{
        measured("a", 17.0),
        measured("b", {}),
        measured("c", 17.5, night::MeasurementState::Parked),
        unseen,
        measured("e", 17.2)};
    const auto sets = brightnessSets(list, {});
    ASSERT_EQ(sets.size(), 4U);
    ASSERT_EQ(sets[0].points.size(), 2U);
    EXPECT_EQ(sets[0].points[0].id, 0);
    EXPECT_EQ(sets[0].points[1].id, 4);
    EXPECT_DOUBLE_EQ(sets[0].points[1].y, 17.2);
    EXPECT_DOUBLE_EQ(sets[0].points[1].error, 0.02);
    ASSERT_EQ(sets[1].points.size(), 1U);
    EXPECT_EQ(sets[1].points[0].id, 2);
    EXPECT_NE(sets[0].mark, sets[1].mark) << "not by colour alone";
    // Seconds since 1970 as the system's own `date` counts them.
    EXPECT_NEAR(sets[0].points[0].x, 2026245600.0, 0.01);
}

/// Where nothing is foretold, or a stack has many frames, there is nothing to compare with.
TEST(BrightnessSetsTest, TheOrbitsMagnitudeIsTakenOffWhereThereIsOne) {
    const std::vector<night::MeasurementRecord> list{measured("a", 17.0), measured("e", 17.2)};
    const auto sets = brightnessSets(list, {{night::FrameId("a"), 16.75}});
    ASSERT_EQ(sets[2].points.size(), 1U);
    EXPECT_EQ(sets[2].panel, 1);
    EXPECT_NEAR(sets[2].points[0].y, 0.25, 1e-12);
    EXPECT_EQ(sets[2].points[0].id, 0);
    EXPECT_TRUE(sets[3].points.empty());
}

} // namespace
} // namespace pathmark::desk
