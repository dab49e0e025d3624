#include "desk/stack/path_plot.h"

#include <gtest/gtest.h>

namespace pathmark::desk {
namespace {

night::PredictionRecord predicted(const std::string& frame, double positionAngle) {
    night::PredictionRecord p;
    p.frame = night::FrameId(frame);
    p.time = *parseUtc("2034-03-17T22:00:00");
    p.positionAngleDegrees = positionAngle;
    return p;
}

night::MeasurementRecord measured(const std::string& frame, double east, double north) {
    night::MeasurementRecord m;
    m.frame = night::FrameId(frame);
    m.time = *parseUtc("2034-03-17T22:00:00");
    m.seen = true;
    m.observedMinusComputedRa = east;
    m.observedMinusComputedDec = north;
    m.raErrorArcsec = 0.3;
    m.decErrorArcsec = 0.1;
    return m;
}

/// Truth: by hand. Across a motion due east is south, across one due north is east.
TEST(PathSetsTest, OffsetsAreAlongTheMotionAndAcrossIt) {
    const std::vector<night::PredictionRecord> predictions{predicted("a", 90.0),
                                                           predicted("b", 0.0)};
    const std::vector<night::MeasurementRecord> measurements{measured("a", 0.5, 2.0),
                                                             measured("b", 0.5, 2.0)};
    const auto sets = pathSets(predictions, measurements);
    ASSERT_EQ(sets.size(), 10U);
    ASSERT_EQ(sets[0].points.size(), 2U);
    EXPECT_NEAR(sets[0].points[0].y, 0.5, 1e-9);
    EXPECT_NEAR(sets[0].points[0].error, 0.3, 1e-9);
    EXPECT_NEAR(sets[5].points[0].y, -2.0, 1e-9) << "position angle 180 is south";
    EXPECT_NEAR(sets[5].points[0].error, 0.1, 1e-9);
    EXPECT_NEAR(sets[0].points[1].y, 2.0, 1e-9);
    EXPECT_NEAR(sets[5].points[1].y, 0.5, 1e-9);
    EXPECT_EQ(sets[5].panel, 1);
    EXPECT_EQ(sets[0].points[1].id, 1);
}

TEST(PathSetsTest, FoundAndForetoldPlacesAreToldApart) {
    std::vector<night::PredictionRecord> predictions{
        predicted("a", 90.0), predicted("b", 90.0), predicted("c", 90.0), predicted("d", 90.0)};
    predictions[1].match = night::PredictionRecord::Match{};
    predictions[1].match->raArcsec = 0.4;
    std::vector<night::MeasurementRecord> measurements{measured("a", 0.0, 0.0),
                                                       measured("d", 1.0, 0.0)};
    measurements[1].state = night::MeasurementState::Dropped;
    measurements.push_back(measured("", 0.2, 0.0));
    measurements.back().onStack = true;
    measurements.back().positionAngleDegrees = 90.0;
    const auto sets = pathSets(predictions, measurements);
    for (std::size_t set = 0; set < 5; ++set) {
        EXPECT_EQ(sets[set].points.size(), 1U) << set;
        EXPECT_EQ(sets[set + 5].points.size(), 1U) << set;
        for (std::size_t other = 0; other < set; ++other) {
            EXPECT_NE(sets[set].mark, sets[other].mark) << "by shape, not by colour alone";
        }
    }
    EXPECT_EQ(sets[1].points[0].id, 3);
    EXPECT_NEAR(sets[2].points[0].y, 0.4, 1e-9);
    EXPECT_NEAR(sets[3].points[0].y, 0.0, 1e-9);
    EXPECT_EQ(sets[4].points[0].id, -1) << "a stack is of no one frame";
}

} // namespace
} // namespace pathmark::desk
