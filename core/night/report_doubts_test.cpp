#include "core/night/report_doubts.h"

#include "core/orbit/place/sun_altitude.h"

#include <erfa.h>
#include <fmt/format.h>
#include <gtest/gtest.h>

#include <cmath>
#include <functional>
#include <numbers>
#include <random>
#include <set>

namespace pathmark::night {
namespace {

constexpr int kMadeFrames = 9;

frame::Site ridge() {
    frame::Site site;
    site.longitude = Angle::degrees(23.4127);
    site.latitude = Angle::degrees(-31.2086);
    site.altitudeMetres = 1374.0;
    return site;
}

struct MadeBody {
    const char* name;
    double arcsecPerMin;
    double angleDegrees;
    bool candidate;
};

constexpr std::array kMadeBodies{MadeBody{"(2711043)", 0.7, 290.0, false},
                                 MadeBody{"(2804417)", 0.6, 285.0, false},
                                 MadeBody{"2034 EQ7", 3.1, 10.0, false},
                                 MadeBody{"2034 ER8", 22.0, 140.0, false},
                                 MadeBody{"c031701", 2.9, 2.0, true}};

/// An honest report: places scatter as their errors say, orbits are off by a few hundredths of an arcsec.
std::vector<MeasurementRecord> honest(unsigned seed) {
    std::mt19937 random(seed);
    std::normal_distribution<double> noise;
    std::vector<MeasurementRecord> lines;
    int number = 0;
    for (const MadeBody& body : kMadeBodies) {
        const double orbitRa = 0.03 * noise(random);
        const double orbitDec = 0.03 * noise(random);
        for (int i = 0; i < kMadeFrames; ++i) {
            MeasurementRecord m;
            m.id = fmt::format("m{}", number++);
            m.body = BodyId::of(body.name);
            m.candidate = body.candidate;
            m.frame = FrameId(fmt::format("f{}", i));
            m.time = parseUtc("2034-03-17T20:00:00").value().plusSeconds(400.0 * i);
            m.seen = true;
            m.sky = skyDegrees(177.0 + 0.01 * static_cast<double>(&body - kMadeBodies.data()),
                               2.0 + 0.0001 * i);
            m.raErrorArcsec = m.decErrorArcsec = 0.05;
            m.observedMinusComputedRa = orbitRa + m.raErrorArcsec * noise(random);
            m.observedMinusComputedDec = orbitDec + m.decErrorArcsec * noise(random);
            m.rateArcsecPerMin = body.arcsecPerMin;
            m.positionAngleDegrees = body.angleDegrees;
            m.magnitude = 18.0;
            m.magnitudeError = 0.05;
            m.band = "R";
            lines.push_back(std::move(m));
        }
    }
    return lines;
}

using Lines = std::vector<MeasurementRecord>;

std::map<std::string, std::vector<std::string>> doubtsOf(const Lines& lines) {
    std::vector<const MeasurementRecord*> sent;
    for (const auto& line : lines) {
        sent.push_back(&line);
    }
    const frame::Site site = ridge();
    return reportDoubts({sent, &site});
}

TEST(ReportDoubtsTest, HonestReportsRaiseNothing) {
    for (unsigned seed = 0; seed < 300; ++seed) {
        const auto doubts = doubtsOf(honest(seed));
        EXPECT_TRUE(doubts.empty()) << seed << ": " << doubts.begin()->second.front();
    }
}

/// One mistake, the words that tell of it, and how many lines it concerns.
struct Mistake {
    const char* name;
    std::function<void(Lines&)> make;
    const char* words;
    std::size_t lines;
};

/// As if the clock were so many seconds slow: what is seen is further along than its time says.
void delay(Lines& lines, double seconds) {
    for (auto& m : lines) {
        if (!m.candidate) {
            const double along = m.rateArcsecPerMin / 60.0 * seconds;
            const double angle = m.positionAngleDegrees / 180.0 * std::numbers::pi;
            m.observedMinusComputedRa += along * std::sin(angle);
            m.observedMinusComputedDec += along * std::cos(angle);
        }
    }
}

void shiftFrame(Lines& lines, const char* frame, double arcsec) {
    for (auto& m : lines) {
        if (m.frame == FrameId(frame)) {
            m.observedMinusComputedRa += arcsec;
        }
    }
}

class ReportMistakeTest : public testing::TestWithParam<Mistake> {};

TEST_P(ReportMistakeTest, IsFoundWhereItIs) {
    const Mistake& mistake = GetParam();
    Lines lines = honest(11);
    mistake.make(lines);
    std::size_t told = 0;
    for (const auto& [id, words] : doubtsOf(lines)) {
        for (const std::string& sentence : words) {
            EXPECT_NE(sentence.find(mistake.words), std::string::npos) << sentence;
        }
        told += 1;
    }
    EXPECT_EQ(told, mistake.lines);
}

constexpr std::size_t kAll = kMadeFrames * kMadeBodies.size();

INSTANTIATE_TEST_SUITE_P(
    Mistakes,
    ReportMistakeTest,
    testing::Values(
        Mistake{"clock_a_minute_slow", [](Lines& l) { delay(l, 60.0); }, "60.", kAll},
        Mistake{"clock_half_a_minute_fast", [](Lines& l) { delay(l, -30.0); }, "earlier", kAll},
        Mistake{"clock_five_seconds", [](Lines& l) { delay(l, 5.0); }, "later", kAll},
        Mistake{
            "frame_off", [](Lines& l) { shiftFrame(l, "f3", 0.9); }, "All bodies of its frame", 5},
        Mistake{"frame_far_off",
                [](Lines& l) { shiftFrame(l, "f8", 14.0); },
                "All bodies of its frame",
                5},
        Mistake{"line_off",
                [](Lines& l) { l[4].observedMinusComputedDec += 0.8; },
                "other lines have it",
                1},
        Mistake{"candidate_off",
                [](Lines& l) { l[kAll - 2].observedMinusComputedDec -= 3.0; },
                "other lines have it",
                1},
        Mistake{"no_band", [](Lines& l) { l[7].band.clear(); }, "no band", 1},
        Mistake{"clear_as_band", [](Lines& l) { l[7].band = "CV"; }, "knows its band", 1},
        Mistake{"strange_band", [](Lines& l) { l[7].band = "?"; }, "knows its band", 1},
        Mistake{"two_lines",
                [](Lines& l) { l.erase(l.begin() + 2, l.begin() + kMadeFrames); },
                "two lines",
                2},
        Mistake{"one_light_two_names",
                [](Lines& l) { l[0].sky = l[kMadeFrames].sky; },
                "the same light",
                2},
        Mistake{"hours_late",
                [](Lines& l) {
                    for (auto& m : l) {
                        m.time = m.time.plusSeconds(9.0 * 3600.0);
                    }
                },
                "The Sun stood",
                kAll},
        Mistake{"one_by_day",
                [](Lines& l) { l[5].time = parseUtc("2034-03-17T12:00:00").value(); },
                "The Sun stood",
                1}),
    [](const auto& made) { return std::string(made.param.name); });

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
