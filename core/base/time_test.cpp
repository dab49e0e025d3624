#include "core/base/time.h"

#include "core/base/leap_seconds.h"
#include "tests/support/temporary_folder.h"

#include <erfa.h>
#include <gtest/gtest.h>

#include <filesystem>
#include <fstream>

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

/// Truth: the full series of ERFA (Fairhead & Bretagnon 1990), good to nanoseconds.
TEST(TimeTest, TdbIsWithinTenMicrosecondsOfTheFullSeries) {
    for (double day = 2449720.5; day < 2471000.0; day += 77.7) {
        const Utc utc = Utc::julian(day, 0.3);
        double tai1 = 0.0;
        double tai2 = 0.0;
        double tt1 = 0.0;
        double tt2 = 0.0;
        eraUtctai(day, 0.3, &tai1, &tai2);
        eraTaitt(tai1, tai2, &tt1, &tt2);
        const Tdb tdb = toTdb(utc);
        const double own = ((tdb.day() - tt1) + (tdb.fraction() - tt2)) * kSecondsPerDay;
        EXPECT_NEAR(own, eraDtdb(tt1, tt2, 0.0, 0.0, 0.0, 0.0), 12e-6) << day;
    }
}

/// Truth: the table's own lines; a date after the last one keeps its difference.
TEST(LeapSecondsTest, TheShippedTableIsReadAndUsed) {
    const auto table =
        readLeapSeconds(std::filesystem::path(PATHMARK_SOURCE_DIR) / "data" / "leap-seconds.list");
    ASSERT_TRUE(table) << table.error().detail;
    EXPECT_EQ(table->entries.front().year, 1972);
    EXPECT_EQ(table->entries.back().taiMinusUtc, 37.0);
    EXPECT_LT(Utc::julian(2460000.5), table->expires);
    // One more second from 2031 on moves TDB by one second there, and nothing before.
    const Utc before = *parseUtc("2020-05-05");
    const Utc after = *parseUtc("2032-05-05");
    const Tdb plainBefore = toTdb(before);
    const Tdb plainAfter = toTdb(after);
    LeapSeconds longer = *table;
    longer.entries.push_back({2031, 1, 38.0});
    useLeapSeconds(longer);
    EXPECT_NEAR(toTdb(before).secondsSince(plainBefore), 0.0, 1e-9);
    EXPECT_NEAR(toTdb(after).secondsSince(plainAfter), 1.0, 1e-6);
    useLeapSeconds(*table);
    EXPECT_NEAR(toTdb(after).secondsSince(plainAfter), 0.0, 1e-9);
}

TEST(LeapSecondsTest, AWrongLineIsNamed) {
    const test_support::TemporaryFolder folder;
    std::ofstream(folder / "leap") << "# head\n2272060800 10 # 1 Jan 1972\nsome words\n";
    const auto table = readLeapSeconds(folder / "leap");
    ASSERT_FALSE(table);
    EXPECT_NE(table.error().detail.find("Line 3"), std::string::npos);
    EXPECT_FALSE(readLeapSeconds(folder / "missing"));
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
                                         Form{"2031-04-05T24:00:00", "2031-04-06T00:00:00.000Z"},
                                         Form{"2031-04-05t06:07:08z", "2031-04-05T06:07:08.000Z"},
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
