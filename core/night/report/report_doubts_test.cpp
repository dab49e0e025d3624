#include "core/base/now.h"
#include "core/night/report/reported_night.h"
#include "core/orbit/place/sun_altitude.h"
#include "tests/support/made_report.h"
#include "tests/support/temporary_folder.h"

#include <erfa.h>
#include <erfam.h>
#include <fmt/format.h>
#include <gtest/gtest.h>

#include <cmath>
#include <fstream>
#include <set>

namespace pathmark::night {
namespace {

TEST(ReportDoubtsTest, HonestReportsRaiseNothing) {
    for (unsigned seed = 0; seed < 300; ++seed) {
        const auto doubts = doubtsOf(madeReport(seed));
        EXPECT_TRUE(doubts.empty()) << seed << ": " << doubts.begin()->second.front().words;
    }
}

/// Two bodies of like motion that lie off alike may do so by their orbits; a third, or other motions, tell of a clock.
TEST(ReportDoubtsTest, TwoOrbitsThatAreOutAlikeAreNoClock) {
    const auto doubted = [](std::set<std::string> bodies) {
        MadeReport made = madeReport(11);
        delay(made, 150.0);
        std::erase_if(linesOf(made),
                      [&](const auto& m) { return !bodies.contains(m.body.text()); });
        std::set<DoubtKind> kinds;
        for (const auto& [id, doubts] : doubtsOf(made)) {
            for (const Doubt& doubt : doubts) {
                kinds.insert(doubt.kind);
            }
        }
        return kinds.contains(DoubtKind::ClockOff);
    };
    EXPECT_FALSE(doubted({"(2711043)", "(2804417)"}));
    EXPECT_TRUE(doubted({"(2711043)", "(2804417)", "2034 EQ7"}));
    EXPECT_TRUE(doubted({"(2711043)", "2034 EQ7"}));
}

/// Times that are still to come, by this machine's own clock; what is years off is made up.
TEST(ReportDoubtsTest, TheFutureIsDoubted) {
    const Utc today = utcNow();
    for (const auto& [days, isDoubted] : {std::pair{-0.5, false},
                                          std::pair{0.5, true},
                                          std::pair{8.0, true},
                                          std::pair{185.0, false},
                                          std::pair{3000.0, false}}) {
        MadeReport made = madeReport(11);
        moveTimes(made, today.secondsSince(kFirstLight) + days * kSecondsPerDay);
        made.recipe.siteKnown = false; // the Sun is another matter
        std::size_t told = 0;
        for (const auto& [id, doubts] : doubtsOf(made)) {
            for (const Doubt& doubt : doubts) {
                EXPECT_EQ(doubt.kind, DoubtKind::Future) << doubt.words;
            }
            ++told;
        }
        EXPECT_EQ(told, isDoubted ? kAll : 0U) << days;
    }
}

/// A list of stations that does not have the code, or has it elsewhere.
TEST(ReportDoubtsTest, ListsOfStationsAreAsked) {
    const test_support::TemporaryFolder folder;
    const auto list = folder.path() / "codes.txt";
    MadeReport made = madeReport(11);
    made.recipe.siteCodeFiles = {list};
    made.recipe.head.stationCode = "Z97";
    const auto kinds = [&] {
        std::set<std::string> all;
        for (const auto& [id, doubts] : doubtsOf(made)) {
            for (const Doubt& doubt : doubts) {
                all.insert(name(doubt.kind));
            }
        }
        return all;
    };
    const auto write = [&](const char* code, const frame::Site& site) {
        orbit::ListedSite listed;
        listed.site = site;
        listed.site.code = code;
        double place[3];
        eraGd2gc(ERFA_WGS84,
                 site.longitude.radians(),
                 site.latitude.radians(),
                 site.altitudeMetres,
                 place);
        constexpr double equator = 6378137.0;
        listed.site.parallaxConstants = {std::hypot(place[0], place[1]) / equator,
                                         place[2] / equator};
        listed.hasPlace = true;
        listed.title = "Tern Ridge";
        std::ofstream(list) << orbit::toListLine(listed) << "\n";
    };
    write("Z97", ridge());
    EXPECT_EQ(kinds(), std::set<std::string>{});
    write("Z98", ridge());
    EXPECT_EQ(kinds(), std::set<std::string>{"unknown_station"});
    write("Z97", awayFrom(ridge(), 1.0));
    EXPECT_EQ(kinds(), std::set<std::string>{"station_elsewhere"});
}

/// What the observer said of a line is what is reported, and what it was doubted for is gone.
TEST(ReportDoubtsTest, WhatIsMendedIsNoLongerDoubted) {
    MadeReport made = madeReport(11);
    linesOf(made)[7].band = "CV";
    linesOf(made)[8].magnitude = 21.0;
    made.night.lights[2].timeUnsure = true;
    EXPECT_EQ(doubtsOf(made).size(), 7U);
    made.night.decided.apply(CorrectLine{"m7", LineCorrection{"R", false, {}, {}}});
    made.night.decided.apply(CorrectLine{"m8", LineCorrection{{}, true, {}, {}}});
    for (const auto& m : linesOf(made)) {
        if (m.frame == FrameId("f2")) {
            made.night.decided.apply(CorrectLine{m.id, LineCorrection{{}, false, 1.5, "drifts"}});
        }
    }
    EXPECT_TRUE(doubtsOf(made).empty());
    const auto lines = reportLines(made.night, made.recipe);
    EXPECT_EQ(lines[7].observation.band, "R");
    EXPECT_FALSE(lines[8].observation.magnitude);
    EXPECT_EQ(lines[2].observation.timeUncertainSeconds, 1.5);
    EXPECT_EQ(lines[2].observation.remark, "drifts");
    made.night.decided.apply(NameCandidate{BodyId::of("c031701"), "Fox12"});
    EXPECT_EQ(reportLines(made.night, made.recipe).back().observation.body, "Fox12");
}

/// What was sent as it is stands in its line and is not sent again, unless the observer says so.
TEST(ReportDoubtsTest, WhatWasSentIsNotSentAgain) {
    MadeReport made = madeReport(11);
    made.night.sendings.push_back(sentBefore(made, 4, 0.0));
    EXPECT_TRUE(doubtsOf(made).empty());
    auto lines = reportLines(made.night, made.recipe);
    ASSERT_TRUE(lines[4].fate);
    EXPECT_NE(lines[4].fate->words.find("receipt R-1"), std::string::npos);
    EXPECT_FALSE(lines[4].isToBeSent());
    EXPECT_TRUE(lines[5].isToBeSent());
    made.night.sendings[0] = sentBefore(made, 4, 0.3);
    made.night.sendings[0].lines[0].isRefused = true;
    lines = reportLines(made.night, made.recipe);
    EXPECT_TRUE(lines[4].isToBeSent()) << "what was refused may go again";
    made.night.sendings[0].lines[0].isRefused = false;
    EXPECT_FALSE(reportLines(made.night, made.recipe)[4].isToBeSent());
    made.night.decided.apply(WaveThrough{"m4", "sent_before one", "measured better", true});
    EXPECT_TRUE(reportLines(made.night, made.recipe)[4].isToBeSent());
}

/// Kinds are stored by their names.
TEST(ReportDoubtsTest, EveryKindHasAName) {
    std::set<std::string> names;
    for (const DoubtKind kind : allDoubtKinds()) {
        EXPECT_EQ(doubtKindNamed(name(kind)), kind);
        names.insert(name(kind));
    }
    EXPECT_EQ(names.size(), allDoubtKinds().size());
    EXPECT_FALSE(doubtKindNamed("gremlins"));
}

/// Truth: the Sun by eraEpv00 (aberration and light time are 0.006 degrees), sidereal time by eraGmst06.
TEST(SunAltitudeTest, AgreesWithErfa) {
    const frame::Site site = ridge();
    for (int day = 0; day < 20000; day += 97) {
        const Utc time = Utc::julian(2440000.5 + day + 0.013 * (day % 77));
        double heliocentric[2][3];
        double barycentric[2][3];
        eraEpv00(time.julian(), 70.0 / 86400.0, heliocentric, barycentric);
        double toDate[3][3];
        eraPnm06a(time.julian(), 0.0, toDate);
        double sun[3];
        eraRxp(toDate, heliocentric[0], sun);
        const double ra = std::atan2(-sun[1], -sun[0]);
        const double dec = std::atan2(-sun[2], std::hypot(sun[0], sun[1]));
        const double hour =
            eraGst06a(time.julian(), 0.0, time.julian(), 0.0) + site.longitude.radians() - ra;
        const double latitude = site.latitude.radians();
        const double altitude = std::asin(std::sin(latitude) * std::sin(dec) +
                                          std::cos(latitude) * std::cos(dec) * std::cos(hour));
        EXPECT_NEAR(orbit::sunAltitude(site, time).radians(), altitude, 0.0005) << day;
    }
}

} // namespace
} // namespace pathmark::night
