#include "core/frame/frame_info.h"
#include "tests/support/written_header.h"

#include <gtest/gtest.h>

#include <cmath>

namespace pathmark::frame {
namespace {

FrameInfo infoOf(const std::vector<std::string>& cards) {
    return describeFrame("/night/light/x.fits", 100, 80, headerOf(cards));
}

struct Clock {
    const char* date;
    const char* middle; ///< of an exposure of 60 s
};

class ClockFormTest : public testing::TestWithParam<Clock> {};

/// Truth: the calendar and the clock, by hand; ISO 8601 for offsets and for 24:00.
TEST_P(ClockFormTest, IsRead) {
    const auto info = infoOf({std::string("DATE-OBS='") + GetParam().date + "'", "EXPTIME=60.0"});
    ASSERT_TRUE(info.midExposure) << info.timeReason;
    EXPECT_EQ(toIso(*info.midExposure), GetParam().middle);
    EXPECT_FALSE(info.timeUnsure);
}

INSTANTIATE_TEST_SUITE_P(
    Forms,
    ClockFormTest,
    testing::Values(Clock{"2034-03-17T24:00:00", "2034-03-18T00:00:30.000Z"},
                    Clock{"2034-03-17T22:00:00+00:00", "2034-03-17T22:00:30.000Z"},
                    Clock{"2034-03-17T22:00:00+02:00", "2034-03-17T20:00:30.000Z"},
                    Clock{"2034-03-17T22:00:00.5-0330", "2034-03-18T01:30:30.500Z"},
                    Clock{"2034-03-17t22:00:00z", "2034-03-17T22:00:30.000Z"},
                    Clock{"2034-03-17T22-00-00", "2034-03-17T22:00:30.000Z"}));

/// How finely a clock was written is told by its digits, whatever they say.
TEST(FrameTimeTest, WholeSecondsAreToldFromFinerOnes) {
    const auto stepOf = [](std::vector<std::string> cards) {
        cards.emplace_back("EXPTIME=60.0");
        return infoOf(cards).timeStepSeconds;
    };
    EXPECT_EQ(stepOf({"DATE-OBS='2034-03-17T22:00:00'"}), 1.0);
    EXPECT_EQ(stepOf({"DATE-OBS='2034-03-17T22:00:00.000'"}), 0.0);
    EXPECT_EQ(stepOf({"DATE-OBS='2034-03-17T22:00:00.25'"}), 0.0);
    EXPECT_EQ(stepOf({"DATE-OBS='2034-03-17'", "UT-START='22:04:02'"}), 1.0);
    EXPECT_EQ(stepOf({"DATE-OBS='2034-03-17'", "UT-START='22:04:02.62'"}), 0.0);
}

struct Leap {
    const char* date;
    double exposure;
    const char* middle;
};

class LeapSecondTest : public testing::TestWithParam<Leap> {};

/// Truth: a second was inserted at the end of 2016-12-31: 23:59:60.5 is half a second before midnight, and half a minute
/// later it is 00:00:29.5. Counted by hand.
TEST_P(LeapSecondTest, IsCountedOnASteadyClock) {
    const auto info = infoOf({std::string("DATE-OBS='") + GetParam().date + "'",
                              "EXPTIME=" + std::to_string(GetParam().exposure)});
    ASSERT_TRUE(info.midExposure);
    EXPECT_EQ(toIso(*info.midExposure), GetParam().middle);
}

INSTANTIATE_TEST_SUITE_P(
    Around2017,
    LeapSecondTest,
    testing::Values(Leap{"2016-12-31T23:59:60.5", 60.0, "2017-01-01T00:00:29.500Z"},
                    Leap{"2016-12-31T23:59:50.0", 60.0, "2017-01-01T00:00:19.000Z"},
                    Leap{"2016-12-31T23:58:00.0", 60.0, "2016-12-31T23:58:30.000Z"},
                    Leap{"2017-01-01T00:00:10.0", 60.0, "2017-01-01T00:00:40.000Z"}));

std::string notesOf(const FrameInfo& info) {
    std::string all;
    for (const std::string& note : info.notes) {
        all += note + "\n";
    }
    return all;
}

TEST(FrameTimeTest, ASecondSixtyWhereThereWasNoneIsNoted) {
    const auto info = infoOf({"DATE-OBS='2034-03-17T22:00:60'", "EXPTIME=60.0"});
    EXPECT_EQ(toIso(*info.midExposure), "2034-03-17T22:01:30.000Z");
    EXPECT_NE(notesOf(info).find("second 60"), std::string::npos) << notesOf(info);
}

struct Lie {
    const char* card;
    const char* said; ///< empty: nothing
};

class ContradictionTest : public testing::TestWithParam<Lie> {};

/// Of a start at 22:00:00 and 60 s; MJD 64038.9166667 is 22:00:00 of that day.
TEST_P(ContradictionTest, IsNotedWhereItIsOne) {
    const auto info =
        infoOf({"DATE-OBS='2034-03-17T22:00:00.000'", "EXPTIME=60.0", GetParam().card});
    const std::string notes = notesOf(info);
    if (*GetParam().said == '\0') {
        EXPECT_EQ(notes, "");
    } else {
        EXPECT_NE(notes.find(GetParam().said), std::string::npos) << notes;
    }
}

INSTANTIATE_TEST_SUITE_P(
    Cards,
    ContradictionTest,
    testing::Values(Lie{"DATE-END='2034-03-17T22:01:03'", ""},
                    Lie{"DATE-END='2034-03-17T21:00:00'", "apart, the exposure is 60 s"},
                    Lie{"DATE-END='2034-03-17T23:00:00'", "apart, the exposure is 60 s"},
                    Lie{"MJD-OBS=64038.916667", ""},
                    Lie{"MJD-OBS=64038.5", "DATE-OBS and MJD-OBS are"},
                    Lie{"TIME-OBS='22:00:01'", ""},
                    Lie{"TIME-OBS='21:00:00'", "with TIME-OBS are"},
                    Lie{"DATE-AVG='2034-03-17T22:00:30.5'", ""},
                    Lie{"DATE-AVG='2034-03-17T22:05:00'", "from the middle that"},
                    Lie{"TIMESYS='UTC'", ""},
                    Lie{"TIMESYS='LOCAL'", "names no time scale"}));

/// What is written and cannot be read is named with its keyword.
TEST(FrameTimeTest, ADateThatIsNoneIsNamed) {
    const auto february = infoOf({"DATE-OBS='2034-02-30T22:00:00'", "EXPTIME=60.0"});
    EXPECT_FALSE(february.midExposure);
    EXPECT_NE(february.timeReason.find("'2034-02-30T22:00:00' is no date"), std::string::npos)
        << february.timeReason;
    const auto clock = infoOf({"DATE-OBS='2034-03-17Tlater'", "EXPTIME=60.0"});
    EXPECT_FALSE(clock.midExposure);
    EXPECT_NE(clock.timeReason.find("no time of day"), std::string::npos) << clock.timeReason;
}

struct Exposure {
    const char* card;
    bool unsure;
};

class ExposureTest : public testing::TestWithParam<Exposure> {};

/// A light whose exposure nobody knows has a middle that nobody knows, unless a keyword states it.
TEST_P(ExposureTest, WithoutOneTheMiddleIsUnsure) {
    const std::vector<std::string> cards{
        "DATE-OBS='2034-03-17T22:00:00'", "IMAGETYP='light'", GetParam().card};
    const auto info = infoOf(cards);
    EXPECT_EQ(info.timeUnsure, GetParam().unsure) << GetParam().card;
    EXPECT_EQ(info.exposureKnown, !GetParam().unsure);
    auto stated = cards;
    stated.emplace_back("DATE-AVG='2034-03-17T22:00:30'");
    EXPECT_FALSE(infoOf(stated).timeUnsure) << GetParam().card;
}

INSTANTIATE_TEST_SUITE_P(Cards,
                         ExposureTest,
                         testing::Values(Exposure{"EXPTIME=60.0", false},
                                         Exposure{"XXPTIME=60.0", true},
                                         Exposure{"EXPTIME=-5.0", true},
                                         Exposure{"EXPTIME=0.0", true},
                                         Exposure{"EXPTIME=1.0E30", true}));

} // namespace
} // namespace pathmark::frame
