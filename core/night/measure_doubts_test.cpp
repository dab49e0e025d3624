#include "core/night/steps/measure_doubts.h"

#include <gtest/gtest.h>

#include <array>

namespace pathmark::night {
namespace {

MeasurementRecord seen(double magnitude, double error) {
    MeasurementRecord record;
    record.seen = true;
    record.time = *parseUtc("2031-02-03T04:05:06");
    record.sky = skyDegrees(120.0, 10.0);
    record.magnitude = magnitude;
    record.magnitudeError = error;
    record.fwhmPixels = 2.5;
    return record;
}

/// `arcsec` to the north of the measurement ten minutes before, moving south by `rate` arcsec a minute.
OtherBody other(double arcsec, double magnitude, double rate = 0.0) {
    return {BodyId::of("(2711043)"),
            "(2711043)",
            skyDegrees(120.0, 10.0 + arcsec / 3600.0),
            magnitude,
            rate,
            180.0,
            parseUtc("2031-02-03T04:05:06")->plusSeconds(-600.0)};
}

TEST(DoubtTest, AnotherBodyAsBrightOnTheSpotIsNamed) {
    const auto record = seen(17.0, 0.05);
    EXPECT_NE(doubtOf(record, 17.1, std::array{other(2.0, 16.0)}, 1.0).find("(2711043)"),
              std::string::npos);
    // Far off, or too faint to matter.
    EXPECT_EQ(doubtOf(record, 17.1, std::array{other(6.0, 16.0)}, 1.0), "");
    EXPECT_EQ(doubtOf(record, 17.1, std::array{other(2.0, 19.8)}, 1.0), "");
}

TEST(DoubtTest, TheOtherBodyIsSoughtWhereItIsThen) {
    const auto record = seen(17.0, 0.05);
    // It comes 20 arcsec nearer in ten minutes.
    EXPECT_NE(doubtOf(record, 17.1, std::array{other(20.0, 16.0, 2.0)}, 1.0), "");
    EXPECT_EQ(doubtOf(record, 17.1, std::array{other(0.0, 16.0, 2.0)}, 1.0), "");
}

TEST(DoubtTest, FarBrighterThanItsOrbitIsDoubted) {
    EXPECT_NE(doubtOf(seen(14.8, 0.05), 19.5, {}, 1.0).find("4.7 mag"), std::string::npos);
    EXPECT_EQ(doubtOf(seen(18.0, 0.05), 19.5, {}, 1.0), "") << "light curves do that";
    EXPECT_EQ(doubtOf(seen(17.0, 0.5), 19.5, {}, 1.0), "") << "within its error";
    EXPECT_EQ(doubtOf(seen(14.8, 0.05), std::nullopt, {}, 1.0), "");
}

/// The limits are the observer's.
TEST(DoubtTest, RulesAreTheRecipes) {
    ReviewRules rules;
    rules.brighterMag = 5.0;
    EXPECT_EQ(doubtOf(seen(14.8, 0.05), 19.5, {}, 1.0, rules), "");
    rules.passingMag = 0.5;
    const auto record = seen(17.0, 0.05);
    EXPECT_EQ(doubtOf(record, 17.1, std::array{other(2.0, 17.6)}, 1.0, rules), "");
    EXPECT_NE(doubtOf(record, 17.1, std::array{other(2.0, 17.4)}, 1.0, rules), "");
}

/// Of two frames a star's light was left out beside the body; of fifteen one showed a star.
TEST(DoubtTest, AStarThatPassesAStackOfFewFrames) {
    MeasurementRecord record;
    record.seen = true;
    record.frames = 2;
    record.pixel = {30.0, 30.0};
    record.fwhmPixels = 2.6;
    frame::Image clipped(61, 61);
    EXPECT_EQ(clippedDoubt(record, clipped), "");
    for (int y = 26; y < 34; ++y) {
        for (int x = 27; x < 30; ++x) {
            clipped.at(x, y) = 1.0F;
        }
    }
    EXPECT_NE(clippedDoubt(record, clipped).find("a star passes"), std::string::npos);
    record.frames = 15;
    EXPECT_EQ(clippedDoubt(record, clipped), "");
    // Farther than a star's width it does nothing.
    record.frames = 2;
    record.pixel = {34.0, 30.0};
    EXPECT_EQ(clippedDoubt(record, clipped), "");
}

} // namespace
} // namespace pathmark::night
