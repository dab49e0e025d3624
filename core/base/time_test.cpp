#include "core/base/time.h"

#include <gtest/gtest.h>

namespace pathmark {
namespace {

TEST(TimeTest, TdbIsSixtyNineSecondsAheadOfUtcAfter2017) {
    // Truth: TAI-UTC = 37 s since 2017-01-01 (IERS Bulletin C 52), TT-TAI = 32.184 s, |TDB-TT| < 2 ms.
    const auto utc = parseUtc("2030-03-05T21:01:00.168");
    ASSERT_TRUE(utc);
    const Tdb tdb = toTdb(*utc);
    const double ahead =
        ((tdb.day() - utc->day()) + (tdb.fraction() - utc->fraction())) * kSecondsPerDay;
    EXPECT_NEAR(ahead, 69.184, 0.002);
}

TEST(TimeTest, UtcComesBackFromTdb) {
    const auto utc = parseUtc("2034-03-17T23:59:59.9996");
    ASSERT_TRUE(utc);
    EXPECT_NEAR(toUtc(toTdb(*utc)).secondsSince(*utc), 0.0, 1e-6);
}

TEST(TimeTest, PublishedJulianDate) {
    // Truth: 1957 October 4.81 = JD 2436116.31 (Meeus 1998, Astronomical Algorithms, p. 61).
    const auto utc = parseUtc("1957-10-04T19:26:24");
    ASSERT_TRUE(utc);
    EXPECT_NEAR(utc->julian(), 2436116.31, 1e-9);
}

struct Form {
    const char* text;
    const char* iso;
};

class TimeFormTest : public testing::TestWithParam<Form> {};

TEST_P(TimeFormTest, IsRead) {
    const auto time = parseUtc(GetParam().text);
    ASSERT_TRUE(time) << GetParam().text;
    EXPECT_EQ(toIso(*time), GetParam().iso);
}

INSTANTIATE_TEST_SUITE_P(Forms,
                         TimeFormTest,
                         testing::Values(Form{"2031-04-05T06:07:08.25", "2031-04-05T06:07:08.250Z"},
                                         Form{"2031-04-05 06:07:08Z", "2031-04-05T06:07:08.000Z"},
                                         Form{" 2031/04/05T06:07", "2031-04-05T06:07:00.000Z"},
                                         Form{"2031-04-05", "2031-04-05T00:00:00.000Z"},
                                         Form{"2031-12-31T23:59:59.9999",
                                              "2032-01-01T00:00:00.000Z"}));

class TimeRubbishTest : public testing::TestWithParam<const char*> {};

TEST_P(TimeRubbishTest, IsRefused) {
    const auto time = parseUtc(GetParam());
    ASSERT_FALSE(time);
    EXPECT_EQ(time.error().id, ErrorId::BaseBadTime);
}

INSTANTIATE_TEST_SUITE_P(Rubbish,
                         TimeRubbishTest,
                         testing::Values("",
                                         "soon",
                                         "2031-13-05",
                                         "2031-02-30",
                                         "31-04-05",
                                         "2031-04-05T25:00:00",
                                         "2031-04-05T06:61",
                                         "2031-04-05T06:07:08:09"));

} // namespace
} // namespace pathmark
