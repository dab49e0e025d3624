#include "core/orbit/place/ephemeris.h"

#include "core/orbit/motion/kepler.h"
#include "core/orbit/place/site_place.h"
#include "tests/support/matchers.h"
#include "tests/support/shipped_planets.h"
#include "tests/support/temporary_folder.h"

#include <erfa.h>
#include <gtest/gtest.h>
#include <nlohmann/json.hpp>

#include <cmath>
#include <fstream>
#include <random>

namespace pathmark::orbit {
namespace {

/// Truth: elements at one epoch and topocentric places over a year to both sides, from an ephemeris of JPL's grade
/// (tests/data/reference-body-truth.json; of independent origin).
TEST(EphemerisTest, AMainBeltBodyIsWhereAnIndependentEphemerisHasIt) {
    const Planets planets = test_support::shippedPlanets();
    std::ifstream stream(std::filesystem::path(PATHMARK_SOURCE_DIR) / "tests" / "data" /
                         "reference-body-truth.json");
    const auto truth = nlohmann::json::parse(stream);
    const auto& orbit = truth["orbit"];
    Elements body;
    body.epoch = Tdb::julian(orbit["epoch_jd_tdb"]);
    body.perihelionAu = orbit["q_au"];
    body.eccentricity = orbit["e"];
    body.inclination = Angle::degrees(orbit["i_deg"]);
    body.node = Angle::degrees(orbit["node_deg"]);
    body.argument = Angle::degrees(orbit["peri_deg"]);
    body.perihelionTime = Tdb::julian(orbit["tp_jd_tdb"]);
    frame::Site site;
    site.longitude = Angle::degrees(truth["site"]["longitude_deg"]);
    site.latitude = Angle::degrees(truth["site"]["latitude_deg"]);
    site.altitudeMetres = truth["site"]["altitude_m"];
    const auto& rows = truth["rows"];
    ASSERT_GT(rows.size(), 50U);
    const auto timeOf = [](const nlohmann::json& row) {
        return *parseUtc(row["time"].get<std::string>());
    };
    const auto ephemeris =
        Ephemeris::make(body, planets, timeOf(rows.front()), timeOf(rows.back()));
    ASSERT_TRUE(ephemeris) << ephemeris.error().detail;
    double squares = 0.0;
    double worst = 0.0;
    for (const auto& row : rows) {
        const Place place = ephemeris->at(*observerAt(planets, site, timeOf(row)));
        const double off = separation(place.sky, skyDegrees(row["ra"], row["dec"])).arcsec();
        squares += off * off;
        worst = std::max(worst, off);
        EXPECT_NEAR(place.distanceAu, row["delta_au"].get<double>(), 2e-7);
        EXPECT_NEAR(place.sunDistanceAu, row["r_au"].get<double>(), 2e-6);
    }
    const double rms = std::sqrt(squares / static_cast<double>(rows.size()));
    RecordProperty("rms_arcsec", std::to_string(rms));
    RecordProperty("worst_arcsec", std::to_string(worst));
    EXPECT_LT(rms, 0.02);
    EXPECT_LT(worst, 0.05);
}

Elements someBody() {
    Elements b;
    b.name = "2031 AB1";
    b.epoch = Tdb::julian(2463000.5);
    b.perihelionAu = 0.95;
    b.eccentricity = 0.4;
    b.inclination = Angle::degrees(9.0);
    b.node = Angle::degrees(170.0);
    b.argument = Angle::degrees(200.0);
    b.perihelionTime = Tdb::julian(2463040.5);
    b.brightness.h = 18.0;
    return b;
}

frame::Site someSite() {
    frame::Site site;
    site.longitude = Angle::degrees(23.4);
    site.latitude = Angle::degrees(-31.2);
    site.altitudeMetres = 1374.0;
    return site;
}

/// Truth: differences of the places a minute apart.
TEST(EphemerisTest, TheRateIsTheChangeOfThePlace) {
    const Planets planets = test_support::shippedPlanets();
    const Utc time = *parseUtc("2031-05-05T21:00:00");
    const Utc next = time.plusSeconds(60.0);
    const auto ephemeris = Ephemeris::make(someBody(), planets, time.plusSeconds(-60.0), next);
    ASSERT_TRUE(ephemeris);
    const Place before = ephemeris->at(*observerAt(planets, someSite(), time.plusSeconds(-60.0)));
    const Place place = ephemeris->at(*observerAt(planets, someSite(), time));
    const Place after = ephemeris->at(*observerAt(planets, someSite(), next));
    const PlanePos back = toTangentPlane(place.sky, before.sky);
    const PlanePos forth = toTangentPlane(place.sky, after.sky);
    const double xi = 0.5 * (forth.xi - back.xi) / kRadiansPerArcsec;
    const double eta = 0.5 * (forth.eta - back.eta) / kRadiansPerArcsec;
    EXPECT_NEAR(place.xiRateArcsecPerMin, xi, 1e-5);
    EXPECT_NEAR(place.etaRateArcsecPerMin, eta, 1e-5);
    EXPECT_NEAR(place.trail(120.0).arcsec(), 2.0 * std::hypot(xi, eta), 1e-4);
}

/// Truth: the scatter of places of 2000 orbits drawn from the covariance.
/// Truth: the same orbit passing its perihelion an hour earlier, so ahead by what its longitude grows in an hour (Kepler's second law:
/// sqrt(GM q (1 + e)) / r^2 a day).
TEST(EphemerisTest, AheadOnItsOrbitABodyStandsWhereThatSays) {
    const Planets planets = test_support::shippedPlanets();
    const Elements body = someBody();
    constexpr double hour = 1.0 / 24.0;
    Elements earlier = body;
    earlier.perihelionTime = Tdb::julian(2463040.5 - hour);
    for (const double julian : {2462930.5, 2463000.5, 2463050.5}) {
        const Utc time = toUtc(Tdb::julian(julian));
        const auto place = placeAt(body, planets, someSite(), time);
        const auto ahead = placeAt(earlier, planets, someSite(), time);
        ASSERT_TRUE(place && ahead);
        const double gauss = 0.01720209895; // root of the Sun's GM, au and days
        const double longitude =
            gauss * std::sqrt(0.95 * 1.4) / (place->sunDistanceAu * place->sunDistanceAu) * hour;
        const PlanePos moved = toTangentPlane(place->sky, ahead->sky);
        const double size = std::hypot(moved.xi, moved.eta);
        EXPECT_NEAR(moved.xi, longitude * place->aheadOnOrbit.xi, 0.004 * size);
        EXPECT_NEAR(moved.eta, longitude * place->aheadOnOrbit.eta, 0.004 * size);
    }
}

TEST(EphemerisTest, TheEllipseIsTheScatterOfOrbitsDrawnFromTheCovariance) {
    const Planets planets = test_support::shippedPlanets();
    Elements body = someBody();
    OrbitCovariance covariance;
    const double sigmas[6] = {2e-7, 1e-7, 3e-7, 4e-9, 1e-9, 2e-9};
    for (std::size_t i = 0; i < 6; ++i) {
        covariance.matrix[10 * i] = sigmas[i] * sigmas[i];
    }
    body.covariance = std::make_shared<OrbitCovariance>(covariance);
    const Utc time = *parseUtc("2031-07-05T21:00:00");
    const auto observer = observerAt(planets, someSite(), time);
    const auto ephemeris = Ephemeris::make(body, planets, time, time);
    ASSERT_TRUE(ephemeris);
    const Place middle = ephemeris->at(*observer);
    ASSERT_TRUE(middle.uncertainty);
    std::mt19937 random(7);
    std::normal_distribution<double> normal;
    double xx = 0.0;
    double xy = 0.0;
    double yy = 0.0;
    constexpr int draws = 2000;
    for (int k = 0; k < draws; ++k) {
        StateVector state = stateOf(body);
        for (std::size_t i = 0; i < 3; ++i) {
            state.position[i] += sigmas[i] * normal(random);
            state.velocity[i] += sigmas[3 + i] * normal(random);
        }
        const auto moved = Trajectory::make(
            state, body.epoch, Forces(planets, "", std::nullopt), observer->tdb, observer->tdb);
        const PlanePos p =
            toTangentPlane(middle.sky, SkyPos::fromVector(sightOf(*moved, *observer).fromObserver));
        xx += p.xi * p.xi / draws;
        xy += p.xi * p.eta / draws;
        yy += p.eta * p.eta / draws;
    }
    const SkyEllipse drawn = SkyEllipse::fromCovariance(xx, xy, yy);
    // Standard deviations of 2000 draws are good to 1.6 %.
    EXPECT_NEAR(middle.uncertainty->major.arcsec() / drawn.major.arcsec(), 1.0, 0.06);
    EXPECT_NEAR(middle.uncertainty->minor.arcsec() / drawn.minor.arcsec(), 1.0, 0.06);
    EXPECT_NEAR(
        std::remainder(middle.uncertainty->positionAngle.degrees() - drawn.positionAngle.degrees(),
                       180.0),
        0.0,
        3.0);
}

/// Truth: by hand. 3 east and 4 north of one line: 5 long, at atan2(3, 4) = 36.87 degrees, no width.
TEST(SkyEllipseTest, ALineIsALine) {
    const auto e = SkyEllipse::fromCovariance(9.0, 12.0, 16.0);
    EXPECT_NEAR(e.major.radians(), 5.0, 1e-12);
    EXPECT_NEAR(e.minor.radians(), 0.0, 1e-6);
    EXPECT_NEAR(e.positionAngle.degrees(), 36.8699, 1e-3);
}

/// Truth: ERFA's full model of the Earth's turning (IAU 2006/2000A) and its velocity of a place on the ground.
TEST(SitePlaceTest, AgreesWithTheFullModel) {
    const auto site = someSite();
    for (int k = 0; k < 10; ++k) {
        const Utc time = parseUtc("2031-05-05T21:00:00")->plusSeconds(3.3e6 * k);
        const StateVector own = sitePlace(site, time);
        double tai1 = 0.0;
        double tai2 = 0.0;
        double tt1 = 0.0;
        double tt2 = 0.0;
        eraUtctai(time.day(), time.fraction(), &tai1, &tai2);
        eraTaitt(tai1, tai2, &tt1, &tt2);
        double pv[2][3];
        const double era = eraEra00(time.day(), time.fraction());
        eraPvtob(site.longitude.radians(),
                 site.latitude.radians(),
                 site.altitudeMetres,
                 0.0,
                 0.0,
                 0.0,
                 era,
                 pv);
        double c2i[3][3];
        eraC2i06a(tt1, tt2, c2i);
        for (std::size_t i = 0; i < 3; ++i) {
            double place = 0.0;
            double velocity = 0.0;
            for (std::size_t j = 0; j < 3; ++j) {
                place += c2i[j][i] * pv[0][j];
                velocity += c2i[j][i] * pv[1][j];
            }
            EXPECT_NEAR(own.position[i] * kKilometresPerAu * 1e3, place, 0.1);
            EXPECT_NEAR(own.velocity[i] * kKilometresPerAu * 1e3 / 86400.0, velocity, 1e-4);
        }
    }
}

/// Truth: WGS84 turned into parallax constants by ERFA; both ways must lead to the same place.
TEST(SitePlaceTest, ParallaxConstantsDoAsWell) {
    const auto site = someSite();
    double fixed[3];
    eraGd2gc(1, site.longitude.radians(), site.latitude.radians(), site.altitudeMetres, fixed);
    frame::Site constants;
    constants.longitude = site.longitude;
    constants.parallaxConstants = {std::hypot(fixed[0], fixed[1]) / 6378137.0,
                                   fixed[2] / 6378137.0};
    const Utc time = *parseUtc("2031-05-05T21:00:00");
    EXPECT_LT(norm(sitePlace(site, time).position - sitePlace(constants, time).position), 1e-15);
}

/// Truth: the turn of the Earth in a second, 465 m/s at the equator; the table's line as the service writes it.
TEST(EarthTurnTest, TheTableMovesTheSite) {
    const test_support::TemporaryFolder folder;
    std::ofstream(folder / "finals") << "31 5 4 62260.00 I  0.100000 0.000010  0.300000 0.000010  "
                                        "I 0.2000000 0.0000100\n"
                                     << "31 5 5 62261.00 I  0.100000 0.000010  0.300000 0.000010  "
                                        "I-0.8000000 0.0000100\n"
                                     << "31 5 6 62262.00\n";
    const auto turn = EarthTurn::read(folder / "finals");
    ASSERT_TRUE(turn) << turn.error().detail;
    const Utc time = Utc::julian(2462260.5 + 0.0, 0.5);
    const Utc noon = Utc::julian(2400000.5 + 62260.0, 0.5);
    EXPECT_TRUE(turn->covers(noon));
    EXPECT_FALSE(turn->covers(Utc::julian(2400000.5 + 62263.0)));
    // The jump of 1 s between the days is a leap second: nothing changes in between.
    EXPECT_NEAR(turn->at(noon).ut1MinusUtc, 0.2, 1e-9);
    EXPECT_NEAR(turn->at(noon).poleY.arcsec(), 0.3, 1e-9);
    EXPECT_EQ(turn->at(time.plusSeconds(1e9)).ut1MinusUtc, 0.0);
    frame::Site equator;
    const double moved =
        norm(sitePlace(equator, noon, *turn).position - sitePlace(equator, noon).position);
    EXPECT_NEAR(moved * kKilometresPerAu * 1e3, 0.2 * 465.1, 12.0); // and the pole's 10 m
    EXPECT_FALSE(EarthTurn::read(folder / "missing"));
}

/// Truth: the table of the basis functions in Muinonen et al. 2010, and H itself at no phase.
TEST(MagnitudeTest, TwoSlopesFollowThePublishedTable) {
    Brightness b;
    b.h = 15.0;
    const auto share = [&](double g1, double g2, double degrees) {
        b.g = g1;
        b.g2 = g2;
        return std::pow(10.0, -0.4 * (*magnitudeOf(b, 1.0, 1.0, Angle::degrees(degrees)) - 15.0));
    };
    EXPECT_NEAR(share(1.0, 0.0, 30.0), 0.33486, 1e-5);
    EXPECT_NEAR(share(0.0, 1.0, 60.0), 0.317555, 1e-6);
    EXPECT_NEAR(share(0.0, 0.0, 2.0), 0.421448, 1e-6);
    EXPECT_NEAR(share(0.3, 0.2, 0.0), 1.0, 1e-12);
    // Smooth where the straight part ends.
    EXPECT_NEAR(share(1.0, 0.0, 7.4999), share(1.0, 0.0, 7.5001), 1e-5);
}

} // namespace
} // namespace pathmark::orbit
