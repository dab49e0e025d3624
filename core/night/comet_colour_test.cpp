#include "core/night/comet_colour.h"

#include <gtest/gtest.h>

#include <cmath>
#include <vector>

namespace pathmark::night {
namespace {

MeasurementRecord measured(const char* frame, const char* band, double minute, double brighter) {
    MeasurementRecord m;
    m.frame = FrameId(frame);
    m.band = band;
    m.time = Utc::julian(2464000.5).plusSeconds(60.0 * minute);
    m.seen = true;
    m.coma =
        ComaPart{1.0,
                 40.0,
                 "coma",
                 {{5.0, 15.0 - brighter, 0.03}, {10.0, 14.2 - brighter, 0.02}, {20.0, {}, 0.0}}};
    return m;
}

TEST(CometColourTest, IsThatOfTheNearestFrameOfAnotherBand) {
    const std::vector measurements{measured("a", "R", 0.0, 0.40),
                                   measured("b", "R", 5.0, 0.41),
                                   measured("c", "V", 9.0, 0.0),
                                   measured("d", "V", 30.0, -1.0)};
    const auto colour = cometColour(measurements, measurements[0].frame, 12.0);
    ASSERT_TRUE(colour);
    EXPECT_EQ(colour->bluer, "V");
    EXPECT_EQ(colour->redder, "R");
    EXPECT_DOUBLE_EQ(colour->radiusArcsec, 10.0);
    EXPECT_NEAR(colour->colour, 0.40, 1e-9);
    EXPECT_NEAR(colour->error, 0.02 * std::sqrt(2.0), 1e-9);
    EXPECT_NEAR(colour->minutesApart, 9.0, 1e-9);
    // The same seen from the other frame; and within the circle next to what is asked.
    const auto back = cometColour(measurements, measurements[2].frame, 1.0);
    ASSERT_TRUE(back);
    EXPECT_NEAR(back->colour, 0.41, 1e-9);
    EXPECT_DOUBLE_EQ(back->radiusArcsec, 5.0);
}

TEST(CometColourTest, OneBandHasNone) {
    const std::vector measurements{measured("a", "R", 0.0, 0.40), measured("b", "R", 5.0, 0.41)};
    EXPECT_FALSE(cometColour(measurements, measurements[0].frame, 10.0));
    EXPECT_FALSE(cometColour({}, measurements[0].frame, 10.0));
}

} // namespace
} // namespace pathmark::night
