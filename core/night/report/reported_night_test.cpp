#include "core/night/report/reported_night.h"

#include <gtest/gtest.h>

namespace pathmark::night {
namespace {

class ReportedNightTest : public testing::Test {
  protected:
    ReportedNightTest() {
        recipe.head.stationCode = "XXX";
        recipe.head.observers = {"I. Vellamo"};
        recipe.catalogAdesName = "Gaia3";
        LightRecord light;
        light.frame = FrameId("f");
        night.lights.push_back(light);
        for (int i = 0; i < 3; ++i) {
            night.measurements.push_back(good(i));
        }
    }

    static MeasurementRecord good(int i) {
        MeasurementRecord m;
        m.id = "m" + std::to_string(i);
        m.body = BodyId::of("(2711043)");
        m.frame = FrameId("f");
        m.time = Utc::julian(2463000.5).plusSeconds(600.0 * i);
        m.seen = true;
        m.sky = skyDegrees(177.0, 2.0);
        m.raErrorArcsec = m.decErrorArcsec = 0.1;
        m.snr = 20.0;
        m.magnitude = 17.5;
        m.magnitudeError = 0.05;
        m.band = "R";
        m.usedStars = 40;
        return m;
    }

    /// The warnings of the first line, together.
    std::string warnings() {
        std::string all;
        const auto lines = reportLines(night, recipe);
        for (const Doubt& doubt : lines.at(0).doubts) {
            all += doubt.words + "|";
        }
        return all;
    }

    ReportedNight night;
    Recipe recipe;
};

TEST_F(ReportedNightTest, AGoodTrackletHasNoWarning) {
    const auto lines = reportLines(night, recipe);
    ASSERT_EQ(lines.size(), 3U);
    for (const auto& line : lines) {
        EXPECT_TRUE(line.doubts.empty()) << line.doubts.front().words;
    }
    EXPECT_EQ(lines[1].measurement, "m1");
}

TEST_F(ReportedNightTest, OnlyWhatIsKeptAndSeenIsALine) {
    night.measurements[0].state = MeasurementState::Parked;
    night.measurements[1].state = MeasurementState::Dropped;
    auto lines = reportLines(night, recipe);
    ASSERT_EQ(lines.size(), 1U);
    ASSERT_EQ(lines[0].doubts.size(), 1U);
    EXPECT_EQ(lines[0].doubts[0].kind, DoubtKind::OnlyLine);
    night.measurements[2].seen = false;
    EXPECT_TRUE(reportLines(night, recipe).empty());
    std::vector<Error> leftOut;
    EXPECT_EQ(reportText(night, recipe, report::Form::Psv, leftOut).error().id,
              ErrorId::ReportNothingToReport);
}

TEST_F(ReportedNightTest, EachDoubtIsSaid) {
    auto& m = night.measurements[0];
    m.snr = 4.2;
    EXPECT_EQ(warnings(), "S/N 4.2.|");
    m = good(0);
    m.decErrorArcsec = 1.4;
    EXPECT_EQ(warnings(), "The position is uncertain by 1.4\".|");
    m = good(0);
    m.observedMinusComputedRa = 3.0;
    m.observedMinusComputedDec = -4.0;
    EXPECT_EQ(warnings(), "It lies 5.0\" from its orbit.|");
    m.candidate = true; // no orbit to compare with, but its other lines
    EXPECT_NE(warnings().find("It lies 5.0\" from where the body's other lines have it.|"),
              std::string::npos);
    m = good(0);
    m.observedMinusComputedRa = 3.0;
    m.raErrorArcsec = 1.0; // within three errors, and within what is warned of
    EXPECT_EQ(warnings(), "");
    m = good(0);
    m.magnitude.reset();
    EXPECT_EQ(warnings(), "It has no magnitude.|");
    m = good(0);
    m.magnitude = 19.0;
    EXPECT_EQ(warnings(), "It is 1.5 mag fainter than the body's other lines.|");
    m.magnitudeError = 0.6;
    EXPECT_EQ(warnings(), "") << "it may be no fainter";
    m = good(0);
    m.usedStars = 1;
    EXPECT_EQ(warnings(), "Its position rests on 1 star.|");
    m = good(0);
    m.time = night.measurements[1].time;
    EXPECT_EQ(warnings(), "Another line of the body has the same time.|");
    m = good(0);
    night.lights[0].timeUnsure = true;
    EXPECT_EQ(warnings(), "The time of its frame is in doubt.|");
}

TEST_F(ReportedNightTest, WhatEightyColumnsHaveNoFormForIsSaidInItsLine) {
    for (auto& m : night.measurements) {
        m.body = BodyId::of("thing without a form");
    }
    EXPECT_EQ(warnings(), "Its designation has no packed form: 80 columns leave it out.|");
    std::vector<Error> leftOut;
    EXPECT_FALSE(reportText(night, recipe, report::Form::EightyColumn, leftOut));
}

TEST_F(ReportedNightTest, WithoutAStationThereIsNoReport) {
    recipe.head.stationCode.clear();
    std::vector<Error> leftOut;
    EXPECT_EQ(reportText(night, recipe, report::Form::Xml, leftOut).error().id,
              ErrorId::OrbitUnknownSite);
    EXPECT_EQ(reportLines(night, recipe).size(), 3U)
        << "the lines are to be looked at all the same";
}

} // namespace
} // namespace pathmark::night
