#include "core/orbit/formats/ades.h"
#include "core/orbit/formats/comet_line.h"
#include "core/orbit/formats/designation.h"
#include "core/orbit/formats/eighty_column.h"
#include "core/orbit/formats/one_line.h"
#include "core/orbit/formats/orbit_table.h"

#include <fmt/format.h>
#include <gtest/gtest.h>

#include <cmath>
#include <random>

namespace pathmark::orbit {
namespace {

/// Truth of all tests here: what was drawn must come back within the rounding that the format's columns have, and
/// what was read must be written as the very same text.
class Draw {
  public:
    explicit Draw(unsigned seed) : random_(seed) {}

    double uniform(double low, double high) {
        return std::uniform_real_distribution<double>(low, high)(random_);
    }

    int whole(int low, int high) { return std::uniform_int_distribution<int>(low, high)(random_); }

    std::string minorPlanetName() {
        if (whole(0, 1) == 0) {
            return fmt::format("({})", whole(1, 2'000'000));
        }
        const char half = "ABCDEFGHJKLMNOPQRSTUVWXY"[whole(0, 23)];
        const char letter = "ABCDEFGHJKLMNOPQRSTUVWXYZ"[whole(0, 24)];
        const int cycle = whole(0, 900);
        return fmt::format(
            "{} {}{}{}", whole(2010, 2040), half, letter, cycle == 0 ? "" : std::to_string(cycle));
    }

    Elements ellipse() {
        Elements e;
        e.name = minorPlanetName();
        e.packed = packDesignation(e.name).value();
        e.epoch = Tdb::julian(2400000.5 + whole(50000, 66000));
        e.eccentricity = uniform(0.0, 0.98);
        const double a = std::pow(10.0, uniform(-0.1, 1.8));
        e.perihelionAu = a * (1.0 - e.eccentricity);
        e.inclination = Angle::degrees(uniform(0.0, 180.0));
        e.node = Angle::degrees(uniform(0.0, 360.0));
        e.argument = Angle::degrees(uniform(0.0, 360.0));
        const double period = 2.0 * std::numbers::pi * std::sqrt(a * a * a / kSunGm);
        e.perihelionTime = Tdb::julian(e.epoch.day(), -uniform(0.0, 1.0) * period);
        e.brightness.h = uniform(3.0, 28.0);
        e.brightness.g = uniform(-0.2, 0.6);
        return e;
    }

  private:
    std::mt19937 random_;
};

double degreesApart(Angle a, Angle b) {
    return std::abs(std::remainder(a.degrees() - b.degrees(), 360.0));
}

TEST(RoundTripTest, AHundredThousandOneLineOrbits) {
    Draw draw(1);
    for (int k = 0; k < 100'000; ++k) {
        const Elements e = draw.ellipse();
        OneLineNotes notes;
        notes.uncertainty = static_cast<char>('0' + draw.whole(0, 9));
        notes.reference = "E2034-A01";
        notes.observations = draw.whole(3, 9999);
        notes.oppositions = draw.whole(1, 40);
        notes.arc = "2024-2033";
        notes.rms = fmt::format("{:.2f}", draw.uniform(0.1, 1.0));
        notes.perturbers = "M-v 3Eh";
        notes.computer = "PATHMARK";
        notes.flags = static_cast<unsigned>(draw.whole(0, 65535));
        notes.title = e.name;
        notes.lastObserved = "20331201";
        const auto line = toOneLine(e, notes);
        ASSERT_TRUE(line) << line.error().detail;
        ASSERT_EQ(line->size(), 202U);
        const auto back = parseOneLine(*line);
        ASSERT_TRUE(back) << *line << "\n" << back.error().detail;
        ASSERT_EQ(back->name, e.name);
        ASSERT_EQ(back->epoch, e.epoch);
        ASSERT_NEAR(*back->brightness.h, *e.brightness.h, 0.00501);
        ASSERT_NEAR(back->brightness.g, e.brightness.g, 0.00501);
        ASSERT_NEAR(back->eccentricity, e.eccentricity, 0.51e-7);
        ASSERT_NEAR(back->perihelionAu,
                    e.perihelionAu,
                    1e-7 * (1.0 + e.perihelionAu / (1.0 - e.eccentricity)));
        ASSERT_LT(degreesApart(back->inclination, e.inclination), 0.51e-5);
        ASSERT_LT(degreesApart(back->node, e.node), 0.51e-5);
        ASSERT_LT(degreesApart(back->argument, e.argument), 0.51e-5);
        ASSERT_TRUE(back->runoffArcsecPerDecade);
        ASSERT_EQ(toOneLine(*back, parseOneLineNotes(*line)).value(), *line);
    }
}

TEST(RoundTripTest, AHundredThousandCometLines) {
    Draw draw(2);
    for (int k = 0; k < 100'000; ++k) {
        Elements e = draw.ellipse();
        e.name = draw.whole(0, 1) == 0 ? fmt::format("{}P", draw.whole(1, 700))
                                       : fmt::format("C/{} {}{}",
                                                     draw.whole(1990, 2040),
                                                     "ABCDEFGH"[draw.whole(0, 7)],
                                                     draw.whole(1, 99));
        e.packed = packDesignation(e.name).value();
        e.eccentricity = draw.uniform(0.2, 1.2);
        e.perihelionAu = draw.uniform(0.005, 9.0);
        e.perihelionTime =
            Tdb::julian(2400000.5 + draw.whole(50000, 66000), draw.uniform(0.0, 1.0));
        e.brightness = {};
        e.brightness.m1 = draw.uniform(2.0, 18.0);
        e.brightness.k1 = draw.uniform(5.0, 40.0);
        const auto line = toCometLine(e, e.name);
        ASSERT_TRUE(line);
        const auto back = parseCometLine(*line);
        ASSERT_TRUE(back) << *line << "\n" << back.error().detail;
        ASSERT_EQ(back->name, e.name);
        ASSERT_NEAR(back->perihelionTime.secondsSince(e.perihelionTime) / 86400.0, 0.0, 0.51e-4);
        ASSERT_NEAR(back->perihelionAu, e.perihelionAu, 0.51e-6);
        ASSERT_NEAR(back->eccentricity, e.eccentricity, 0.51e-6);
        ASSERT_LT(degreesApart(back->argument, e.argument), 0.51e-4);
        ASSERT_EQ(toCometLine(*back, e.name).value(), *line);
    }
}

TEST(RoundTripTest, AHundredThousandOrbitsOfTheFullPrecisionTable) {
    Draw draw(3);
    std::vector<Elements> orbits;
    for (int k = 0; k < 100'000; ++k) {
        Elements e = draw.ellipse();
        if (k % 10 == 0) {
            e.eccentricity = draw.uniform(0.9, 1.5);
            e.outgassing = Outgassing{draw.uniform(-1e-8, 1e-8), draw.uniform(-1e-8, 1e-8), 0.0};
        }
        if (k % 100 == 0) {
            OrbitCovariance covariance;
            for (double& value : covariance.matrix) {
                value = draw.uniform(-1e-12, 1e-12);
            }
            e.covariance = std::make_shared<OrbitCovariance>(covariance);
        }
        orbits.push_back(e);
    }
    const std::string text = toOrbitTable(orbits);
    const auto back = parseOrbitJson(text);
    ASSERT_TRUE(back);
    ASSERT_EQ(back->orbits.size(), orbits.size());
    ASSERT_TRUE(back->badLines.empty());
    EXPECT_EQ(toOrbitTable(back->orbits), text);
    for (std::size_t k = 0; k < orbits.size(); ++k) {
        const Elements& a = orbits[k];
        const Elements& b = back->orbits[k];
        ASSERT_EQ(a.perihelionAu, b.perihelionAu);
        ASSERT_EQ(a.eccentricity, b.eccentricity);
        ASSERT_EQ(a.outgassing, b.outgassing);
        ASSERT_EQ(a.covariance != nullptr, b.covariance != nullptr);
        ASSERT_NEAR(a.perihelionTime.secondsSince(b.perihelionTime), 0.0, 1e-4);
    }
}

TEST(RoundTripTest, MpcJsonKeepsTheOrbit) {
    Draw draw(4);
    std::vector<Elements> orbits;
    for (int k = 0; k < 1000; ++k) {
        orbits.push_back(draw.ellipse());
    }
    const auto back = parseOrbitJson(toMpcJson(orbits));
    ASSERT_TRUE(back);
    ASSERT_EQ(back->orbits.size(), orbits.size());
    for (std::size_t k = 0; k < orbits.size(); ++k) {
        EXPECT_EQ(back->orbits[k].name, orbits[k].name);
        EXPECT_NEAR(back->orbits[k].perihelionAu, orbits[k].perihelionAu, 1e-12 * 80.0);
        EXPECT_LT(degreesApart(back->orbits[k].argument, orbits[k].argument), 1e-10);
    }
}

Observation anObservation(Draw& draw) {
    Observation o;
    const int kind = draw.whole(0, 9);
    if (kind == 0) {
        o.body = fmt::format("PM{:05}", draw.whole(0, 99999));
        o.ownName = o.body;
    } else if (kind == 1) {
        o.body = fmt::format("C/{} A{}", draw.whole(2000, 2040), draw.whole(1, 99));
    } else if (kind == 2) {
        o.body = fmt::format("{}P", draw.whole(1, 700));
    } else {
        o.body = draw.minorPlanetName();
    }
    o.time = Utc::julian(2400000.5 + draw.whole(50000, 66000), draw.uniform(0.0, 1.0));
    o.sky = skyDegrees(draw.uniform(0.0, 360.0), draw.uniform(-90.0, 90.0));
    o.station = fmt::format("Z{:02}", draw.whole(0, 99));
    o.mode = "CCD";
    if (draw.whole(0, 3) != 0) {
        o.magnitude = draw.uniform(6.0, 24.0);
        o.band = draw.whole(0, 1) == 0 ? "V" : "R";
    }
    o.starCatalogue = draw.whole(0, 1) == 0 ? "Gaia3" : "UCAC4";
    o.notes.discovery = draw.whole(0, 9) == 0 ? '*' : ' ';
    if (draw.whole(0, 9) == 0) {
        o.observer = ObserverPlace{};
        if (draw.whole(0, 1) == 0) {
            o.notes.kind = 'S';
            o.observer->geocentricKilometres = Vec3{draw.uniform(-9999.0, 9999.0),
                                                    draw.uniform(-9999.0, 9999.0),
                                                    draw.uniform(-9999.0, 9999.0)};
        } else {
            o.notes.kind = 'V';
            o.observer->geodetic = {draw.uniform(0.0, 360.0),
                                    draw.uniform(-90.0, 90.0),
                                    std::round(draw.uniform(0.0, 4000.0))};
        }
    }
    return o;
}

TEST(RoundTripTest, AHundredThousandEightyColumnObservations) {
    Draw draw(5);
    for (int k = 0; k < 100'000; ++k) {
        Observation o = anObservation(draw);
        o.notes.dayDecimals = draw.whole(4, 6);
        o.notes.raDecimals = draw.whole(1, 3);
        o.notes.decDecimals = draw.whole(0, 2);
        o.notes.magnitudeDecimals = draw.whole(0, 2);
        o.notes.reference = "E1234";
        const auto text = toEightyColumn(o);
        ASSERT_TRUE(text) << text.error().detail;
        const std::string first = text->substr(0, text->find('\n'));
        const std::string second = text->size() > 80 ? text->substr(81) : std::string();
        ASSERT_EQ(first.size(), 80U) << first;
        const auto back = parseEightyColumn(first, second);
        ASSERT_TRUE(back) << *text << "\n" << back.error().detail;
        ASSERT_EQ(back->body, o.body);
        ASSERT_EQ(back->station, o.station);
        ASSERT_EQ(back->starCatalogue, o.starCatalogue);
        ASSERT_NEAR(back->time.secondsSince(o.time),
                    0.0,
                    0.51 * 86400.0 * std::pow(10.0, -o.notes.dayDecimals));
        ASSERT_LT(degreesApart(back->sky.longitude, o.sky.longitude) * 240.0,
                  0.51 * std::pow(10.0, -o.notes.raDecimals));
        ASSERT_LT(degreesApart(back->sky.latitude, o.sky.latitude) * 3600.0,
                  0.51 * std::pow(10.0, -o.notes.decDecimals));
        ASSERT_EQ(back->magnitude.has_value(), o.magnitude.has_value());
        ASSERT_EQ(back->observer.has_value(), o.observer.has_value());
        if (o.observer && o.observer->geocentricKilometres) {
            ASSERT_NEAR((*back->observer->geocentricKilometres)[1],
                        (*o.observer->geocentricKilometres)[1],
                        1e-4);
        }
        ASSERT_EQ(toEightyColumn(*back).value(), *text);
    }
}

TEST(RoundTripTest, AHundredThousandAdesObservationsInBothForms) {
    Draw draw(6);
    std::vector<Observation> observations;
    for (int k = 0; k < 100'000; ++k) {
        Observation o = anObservation(draw);
        o.sigmaRaArcsec = draw.uniform(0.01, 2.0);
        o.sigmaDecArcsec = draw.uniform(0.01, 2.0);
        o.correlation = draw.whole(0, 1) == 0 ? 0.0 : draw.uniform(-0.9, 0.9);
        o.others = {{"remarks", "seen & <kept>"}};
        observations.push_back(o);
    }
    const std::string psv = toAdesPsv(observations);
    const std::string xml = toAdesXml(observations);
    const auto fromPsv = parseAdesPsv(psv);
    const auto fromXml = parseAdesXml(xml);
    ASSERT_TRUE(fromPsv && fromXml);
    ASSERT_TRUE(fromPsv->badLines.empty()) << fromPsv->badLines.front().detail;
    ASSERT_EQ(fromPsv->observations.size(), observations.size());
    ASSERT_EQ(fromXml->observations.size(), observations.size());
    EXPECT_EQ(toAdesPsv(fromPsv->observations), psv);
    EXPECT_EQ(toAdesXml(fromXml->observations), xml);
    EXPECT_EQ(toAdesPsv(fromXml->observations), psv);
    for (std::size_t k = 0; k < observations.size(); ++k) {
        const Observation& a = observations[k];
        const Observation& b = fromPsv->observations[k];
        ASSERT_EQ(a.body, b.body);
        ASSERT_EQ(a.sigmaRaArcsec, b.sigmaRaArcsec);
        ASSERT_EQ(a.correlation, b.correlation);
        ASSERT_NEAR(a.time.secondsSince(b.time), 0.0, 0.00051);
        ASSERT_LT(separation(a.sky, b.sky).arcsec(), 4e-5);
    }
}

} // namespace
} // namespace pathmark::orbit
