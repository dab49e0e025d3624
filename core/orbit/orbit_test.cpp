#include "core/orbit/designation.h"
#include "core/orbit/ephemeris.h"
#include "core/orbit/kepler.h"
#include "core/orbit/one_line.h"
#include "core/orbit/orbit_file.h"
#include "core/orbit/orbit_table.h"
#include "core/orbit/planets.h"
#include "simulate/body_motion.h"
#include "tests/support/matchers.h"
#include "tests/support/temporary_folder.h"

#include <erfa.h>
#include <gtest/gtest.h>

#include <cmath>
#include <fstream>
#include <random>

namespace pathmark::orbit {
namespace {

Planets planets() {
    auto opened = Planets::open(std::filesystem::path(PATHMARK_SOURCE_DIR) / "data" /
                                "planets-1995-2055.bsp");
    EXPECT_TRUE(opened);
    return std::move(*opened);
}

/// Truth: ERFA's analytic Earth (VSOP2000 fit), good to 11 km = 7.4e-8 au, and its velocity to 5 mm/s = 2.9e-9 au/day.
TEST(PlanetsTest, TheEarthIsWhereErfaHasIt) {
    const Planets file = planets();
    for (double day = 2450000.5; day < 2469000.0; day += 777.77) {
        const auto earth = file.earth(Tdb::julian(day));
        ASSERT_TRUE(earth);
        double helio[2][3];
        double bary[2][3];
        eraEpv00(day, 0.0, helio, bary);
        const auto sun = file.sun(Tdb::julian(day));
        for (std::size_t i = 0; i < 3; ++i) {
            EXPECT_NEAR(earth->position[i] - sun->position[i], helio[0][i], 1.5e-7);
            EXPECT_NEAR(earth->velocity[i], bary[1][i], 2e-8);
        }
    }
}

TEST(PlanetsTest, ADateOutsideIsSaid) {
    const auto earth = planets().earth(Tdb::julian(2400000.5));
    ASSERT_FALSE(earth);
    EXPECT_EQ(earth.error().id, ErrorId::OrbitOutsideEphemeris);
}

Elements body(double q, double e) {
    Elements b;
    b.perihelionAu = q;
    b.eccentricity = e;
    b.inclination = Angle::degrees(11.0);
    b.node = Angle::degrees(77.0);
    b.argument = Angle::degrees(200.0);
    b.perihelionTime = Tdb::julian(2464000.0);
    return b;
}

class KeplerTest : public testing::TestWithParam<double> {};

/// Truth: energy, angular momentum and the conic's own equation, which no way of solving it can cheat.
TEST_P(KeplerTest, KeepsTheIntegralsOfMotion) {
    const double e = GetParam();
    const double q = 0.9;
    const Elements b = body(q, e);
    for (double days = -3000.0; days <= 3000.0; days += 37.3) {
        const auto s = propagateTwoBody(b, Tdb::julian(2464000.0 + days));
        const double r = norm(s.position);
        const double energy = 0.5 * dot(s.velocity, s.velocity) - kSunGm / r;
        EXPECT_NEAR(energy, -kSunGm * (1.0 - e) / (2.0 * q), 1e-13);
        EXPECT_NEAR(norm(cross(s.position, s.velocity)), std::sqrt(kSunGm * q * (1.0 + e)), 1e-13);
        EXPECT_GE(r, q * (1.0 - 1e-12));
    }
    EXPECT_NEAR(norm(propagateTwoBody(b, Tdb::julian(2464000.0)).position), q, 1e-13);
}

INSTANTIATE_TEST_SUITE_P(Conics,
                         KeplerTest,
                         testing::Values(0.0, 0.1, 0.7, 0.97, 0.99999, 1.0, 1.00001, 1.3));

/// Truth: Barker's equation has a closed solution (Meeus 1998, ch. 34): e = 1 after 60 days.
TEST(KeplerTest, AParabolaAgreesWithBarker) {
    const double q = 0.8;
    const double days = 60.0;
    const double w = 3.0 * 0.01720209895 / std::sqrt(2.0) * days / (q * std::sqrt(q));
    const double g = 0.5 * w;
    const double y = std::cbrt(g + std::sqrt(g * g + 1.0));
    const double s = y - 1.0 / y;
    const double r = q * (1.0 + s * s);
    EXPECT_NEAR(norm(propagateTwoBody(body(q, 1.0), Tdb::julian(2464060.0)).position), r, 1e-12);
}

/// Truth: the simulator's own Kepler solver, light time and Earth (ERFA, 11 km): 0.015" at 1 au.
TEST(EphemerisTest, AgreesWithAnIndependentOne) {
    const Planets file = planets();
    simulate::SiteScenario site;
    site.longitudeDegrees = 23.4;
    site.latitudeDegrees = -31.2;
    site.altitudeMetres = 1374.0;
    frame::Site own;
    own.longitude = Angle::degrees(23.4);
    own.latitude = Angle::degrees(-31.2);
    own.altitudeMetres = 1374.0;
    simulate::BodyScenario b;
    b.epochJulian = 2464041.5;
    b.perihelionAu = 2.04;
    b.eccentricity = 0.079;
    b.inclinationDegrees = 4.0;
    b.nodeDegrees = 168.2;
    b.argumentDegrees = 227.1;
    b.meanAnomalyDegrees = 136.1;
    b.h = 13.7;
    Elements e = body(b.perihelionAu, b.eccentricity);
    e.inclination = Angle::degrees(4.0);
    e.node = Angle::degrees(168.2);
    e.argument = Angle::degrees(227.1);
    const double a = b.perihelionAu / (1.0 - b.eccentricity);
    e.perihelionTime =
        Tdb::julian(2464041.5, -136.1 * kRadiansPerDegree * a * std::sqrt(a) / 0.01720209895);
    e.brightness.h = 13.7;
    for (int k = 0; k < 20; ++k) {
        const Utc time = parseUtc("2034-03-17T20:00:00")->plusSeconds(40000.0 * k);
        const auto now = observerAt(file, own, time);
        const auto later = observerAt(file, own, time.plusSeconds(60.0));
        ASSERT_TRUE(now && later);
        const Place place = placeOf(e, *now, *later);
        const auto truth = simulate::seeBody(b, site, time);
        EXPECT_THAT(place.sky,
                    test_support::IsNearDirection(SkyPos::fromVector(truth.direction),
                                                  Angle::arcsec(0.02)));
        EXPECT_NEAR(*place.magnitude, truth.magnitudeV, 1e-3);
        EXPECT_NEAR(place.distanceAu, truth.distanceAu, 1e-6);
    }
}

struct Packed {
    const char* packed;
    const char* readable;
};

class DesignationTest : public testing::TestWithParam<Packed> {};

TEST_P(DesignationTest, GoesBothWays) {
    EXPECT_EQ(unpackDesignation(GetParam().packed), GetParam().readable);
    EXPECT_EQ(packDesignation(GetParam().readable), GetParam().packed);
}

/// Truth: the examples of the Minor Planet Center's page on packed designations, and this project's own bodies.
INSTANTIATE_TEST_SUITE_P(Forms,
                         DesignationTest,
                         testing::Values(Packed{"03202", "(3202)"},
                                         Packed{"50000", "(50000)"},
                                         Packed{"A0345", "(100345)"},
                                         Packed{"a0017", "(360017)"},
                                         Packed{"K3289", "(203289)"},
                                         Packed{"~0000", "(620000)"},
                                         Packed{"~000z", "(620061)"},
                                         Packed{"~AZaz", "(3140113)"},
                                         Packed{"~zzzz", "(15396335)"},
                                         Packed{"J95X00A", "1995 XA"},
                                         Packed{"J95X01L", "1995 XL1"},
                                         Packed{"J95F13B", "1995 FB13"},
                                         Packed{"J98SA8Q", "1998 SQ108"},
                                         Packed{"J98SC7V", "1998 SV127"},
                                         Packed{"J98SG2S", "1998 SS162"},
                                         Packed{"K99AJ3Z", "2099 AZ193"},
                                         Packed{"K08Aa0A", "2008 AA360"},
                                         Packed{"K07Tf8A", "2007 TA418"},
                                         Packed{"_QC0000", "2026 CA620"},
                                         Packed{"0029P", "29P"},
                                         Packed{"CK31A010", "C/2031 A1"},
                                         Packed{"DK31X12b", "D/2031 X12-B"}));

TEST(DesignationTest, RubbishIsNone) {
    for (const char* text : {"", "12", "K27R1", "k27R17K", "K27R1xK", "CK31A0", "~00!0"}) {
        EXPECT_FALSE(unpackDesignation(text)) << text;
    }
    for (const char* text : {"", "2027 rk17", "(0)", "name"}) {
        EXPECT_FALSE(packDesignation(text)) << text;
    }
}

const std::string kLine =
    "~8lyV   13.70  0.15 K343K 136.14689  227.06139  168.23856    4.03799  0.0788815  0.29914773   "
    "2.2141483  2 E2034-A01"
    "    52   5 2024-2033 0.40 M-v 3Eh PATHMARK   0000 (2711043)                   20331201";

TEST(OneLineTest, EveryFieldIsInItsPlace) {
    const auto e = parseOneLine(kLine);
    ASSERT_TRUE(e) << e.error().detail;
    EXPECT_EQ(e->name, "(2711043)");
    EXPECT_EQ(e->brightness.h, 13.7);
    EXPECT_NEAR(e->epoch.julian(), 2464041.5, 1e-9);
    EXPECT_NEAR(e->perihelionAu, 2.2141483 * (1.0 - 0.0788815), 1e-9);
    EXPECT_NEAR(e->node.degrees(), 168.23856, 1e-9);
    // The mean anomaly comes back: 136.14689 degrees at the epoch.
    const double motion = 0.01720209895 / std::pow(2.2141483, 1.5) / kRadiansPerDegree;
    EXPECT_NEAR((e->epoch.julian() - e->perihelionTime.julian()) * motion, 136.14689, 1e-6);
}

TEST(OneLineTest, AWrongColumnIsNamed) {
    std::string line = kLine;
    line.replace(70, 9, "  eccent.");
    const auto e = parseOneLine(line);
    ASSERT_FALSE(e);
    EXPECT_NE(e.error().detail.find("columns 71 to 79"), std::string::npos) << e.error().detail;
    EXPECT_NE(parseOneLine("x").error().detail.find("columns 1 to 7"), std::string::npos);
}

TEST(OrbitFileTest, OneBadLineLeavesTheOthers) {
    const test_support::TemporaryFolder folder;
    std::string bad = kLine;
    bad.replace(26, 9, "   abc   ");
    std::ofstream(folder / "o.txt") << "A head\n"
                                    << std::string(100, '-') << "\n"
                                    << kLine << "\n"
                                    << bad << "\n";
    const auto list = readOrbitFile(folder / "o.txt");
    ASSERT_TRUE(list);
    EXPECT_EQ(list->orbits.size(), 1U);
    ASSERT_EQ(list->badLines.size(), 1U);
    EXPECT_NE(list->badLines[0].detail.find("line 4"), std::string::npos);
    EXPECT_NE(list->badLines[0].detail.find("columns 27 to 35"), std::string::npos);
    EXPECT_EQ(list->badLines[0].subject, (folder / "o.txt").string());
}

TEST(OrbitFileTest, FilesWithoutOrbitsAreRefused) {
    const test_support::TemporaryFolder folder;
    std::ofstream(folder / "o.txt") << "nothing of use\n";
    EXPECT_EQ(readOrbitFile(folder / "o.txt").error().id, ErrorId::OrbitNotReadable);
    EXPECT_EQ(readOrbitFile(folder / "missing").error().id, ErrorId::OrbitNotReadable);
}

TEST(OrbitTableTest, ReadsTheFullPrecisionTableAndNamesWhatIsMissing) {
    const auto good = parseOrbitJson(
        R"([{"name":"2030 DB2","epoch_jd_tdb":2462560.5,"frame":"ecliptic J2000","q_au":1.1,
        "e":0.2,"i_deg":3,"node_deg":4,"peri_deg":5,"tp_jd_tdb":2462500.25,"H":20}])");
    ASSERT_TRUE(good) << good.error().detail;
    EXPECT_EQ((*good)[0].packed, "K30D02B");
    EXPECT_NEAR((*good)[0].perihelionTime.julian(), 2462500.25, 1e-9);
    const auto bad = parseOrbitJson(R"([{"name":"2030 DB2","epoch_jd_tdb":2462560.5,"q_au":1.1}])");
    ASSERT_FALSE(bad);
    EXPECT_NE(bad.error().detail.find("'e'"), std::string::npos);
    EXPECT_FALSE(parseOrbitJson("[{"));
}

TEST(CometLineTest, ReadsItsColumns) {
    const std::string line = "    CK33T040  2033 09 22.1234  1.640543  0.916098  324.1734  "
                             "157.7804   47.5869  20340320   9.6  4.0  C/2033 T4";
    const auto e = parseCometLine(line);
    ASSERT_TRUE(e) << e.error().detail;
    EXPECT_EQ(e->name, "C/2033 T4");
    EXPECT_NEAR(e->perihelionAu, 1.640543, 1e-9);
    EXPECT_EQ(e->brightness.m1, 9.6);
    EXPECT_EQ(e->brightness.k1, 10.0);
}

} // namespace
} // namespace pathmark::orbit
