#include "core/identify/bodies_in_frame.h"
#include "core/orbit/motion/kepler.h"
#include "tests/support/shipped_planets.h"
#include "tests/support/temporary_folder.h"

#include <gtest/gtest.h>

#include <cmath>
#include <fstream>
#include <random>
#include <set>

namespace pathmark::identify {
namespace {

frame::Site someSite() {
    frame::Site site;
    site.longitude = Angle::degrees(23.4);
    site.latitude = Angle::degrees(-31.2);
    site.altitudeMetres = 1374.0;
    return site;
}

FrameOnSky fieldAt(const SkyPos& centre, const Utc& time) {
    FrameOnSky frame;
    frame.width = 3000;
    frame.height = 2000;
    frame.middle = time;
    frame.wcs.referenceSky = centre;
    frame.wcs.referencePixel = {1500.0, 1000.0};
    const double s = Angle::arcsec(1.0).radians();
    frame.wcs.cd = {-s, 0.0, 0.0, s};
    return frame;
}

/// A body that stands at a pixel of the field at its time, with an epoch up to 200 days away: its state is drawn
/// there and then, and followed back to the epoch with all that pulls.
class Planter {
  public:
    Planter(const orbit::Planets& planets, const FrameOnSky& frame)
        : planets_(planets), frame_(frame),
          observer_(*orbit::observerAt(planets, someSite(), frame.middle)) {}

    std::optional<orbit::Elements> plant(std::mt19937& random, const std::string& name) {
        const auto uniform = [&](double low, double high) {
            return std::uniform_real_distribution<double>(low, high)(random);
        };
        const double kind = uniform(0.0, 1.0);
        const double distance = kind < 0.3   ? std::pow(10.0, uniform(-2.5, -0.3))
                                : kind < 0.9 ? uniform(1.0, 2.6)
                                             : uniform(3.5, 40.0);
        const frame::PixelPos pixel{uniform(1.0, frame_.width - 2.0),
                                    uniform(1.0, frame_.height - 2.0)};
        const Vec3 line = frame_.wcs.toSky(pixel).vector();
        const Tdb emitted =
            observer_.tdb.plusSeconds(-distance / orbit::kLightAuPerDay * kSecondsPerDay);
        const Vec3 sun = planets_.sun(emitted)->position;
        orbit::StateVector state;
        state.position = observer_.place + distance * line - sun;
        // Nearly a circle, tilted and stretched at random.
        const double r = norm(state.position);
        Vec3 across = cross(Vec3{uniform(-0.4, 0.4), uniform(-0.8, 0.0), 1.0}, state.position);
        across = (1.0 / norm(across)) * across;
        const double speed = std::sqrt(orbit::kSunGm / r) * uniform(0.85, 1.15);
        state.velocity = speed * (across + (uniform(-0.3, 0.3) / r) * state.position);
        const Tdb epoch = emitted.plusSeconds(uniform(-200.0, 200.0) * kSecondsPerDay);
        const auto back = orbit::Trajectory::make(
            state, emitted, orbit::Forces(planets_, "", std::nullopt), epoch, epoch);
        if (!back) {
            return std::nullopt;
        }
        const auto then = back->barycentric(epoch);
        const auto sunThen = planets_.sun(epoch);
        orbit::Elements e = orbit::elementsOf(
            {then.position - sunThen->position, then.velocity - sunThen->velocity}, epoch);
        e.name = name;
        e.brightness.h = 20.0;
        return e;
    }

  private:
    const orbit::Planets& planets_;
    const FrameOnSky& frame_;
    orbit::Observer observer_;
};

/// Truth: the bodies were put into the field at its time and followed back to their epochs; every one must be found,
/// within the field and at its pixel, among others that are elsewhere.
TEST(NightBodiesTest, NoneOfTwoThousandPlantedBodiesIsMissed) {
    const auto planets = test_support::shippedPlanets();
    const Utc time = *parseUtc("2034-03-17T22:00:00");
    const FrameOnSky frame = fieldAt(skyDegrees(177.2, 2.4), time);
    Planter planter(planets, frame);
    std::mt19937 random(5);
    std::vector<orbit::Elements> orbits;
    int near = 0;
    while (orbits.size() < 2000) {
        if (auto body = planter.plant(random, "P" + std::to_string(orbits.size()))) {
            near += body->perihelionAu < 1.3 ? 1 : 0;
            orbits.push_back(*body);
        }
    }
    EXPECT_GT(near, 500);
    const OrbitCatalog catalog = OrbitCatalog::make(orbits);
    // The whole night: the field is asked for in the middle of it.
    auto night =
        NightBodies::make(catalog, planets, time.plusSeconds(-14400.0), time.plusSeconds(18000.0));
    ASSERT_TRUE(night);
    const auto bodies = bodiesInFrame(*night, planets, someSite(), frame);
    ASSERT_TRUE(bodies);
    EXPECT_EQ(bodies->size(), 2000U);
    EXPECT_TRUE(night->lost().empty());
}

/// Truth: Ephemeris of every body of the catalogue, one by one, without any index.
TEST(NightBodiesTest, AgreesWithEveryBodyIntegrated) {
    const auto planets = test_support::shippedPlanets();
    std::mt19937 random(9);
    std::uniform_real_distribution<double> share(0.0, 1.0);
    std::vector<orbit::Elements> orbits;
    for (int i = 0; i < 3000; ++i) {
        orbit::Elements e;
        const double a = i % 3 == 0 ? 0.8 + 2.0 * share(random) : 2.2 + 1.0 * share(random);
        e.eccentricity = i % 3 == 0 ? 0.7 * share(random) : 0.2 * share(random);
        e.name = "B" + std::to_string(i);
        e.perihelionAu = a * (1.0 - e.eccentricity);
        e.inclination = Angle::degrees(4.0 * share(random));
        e.node = Angle::degrees(360.0 * share(random));
        e.argument = Angle::degrees(360.0 * share(random));
        e.epoch = Tdb::julian(2463900.5 + 300.0 * share(random));
        e.perihelionTime = Tdb::julian(2463000.5 + 1000.0 * share(random));
        orbits.push_back(e);
    }
    const Utc time = *parseUtc("2034-03-17T22:00:00");
    FrameOnSky frame = fieldAt(skyDegrees(177.2, 1.4), time);
    frame.wcs.cd = {-1e-4, 0.0, 0.0, 1e-4}; // 20": 17 degrees wide
    const OrbitCatalog catalog = OrbitCatalog::make(orbits);
    auto night = NightBodies::make(catalog, planets, time, time.plusSeconds(3600.0));
    const auto bodies = bodiesInFrame(*night, planets, someSite(), frame);
    ASSERT_TRUE(bodies);
    std::set<std::string> found;
    for (const auto& body : *bodies) {
        found.insert(orbits[body.orbit].name);
    }
    std::set<std::string> truth;
    const auto observer = orbit::observerAt(planets, someSite(), time);
    for (const auto& e : orbits) {
        const auto ephemeris = orbit::Ephemeris::make(e, planets, time, time);
        if (!ephemeris) {
            continue;
        }
        const SkyPos sky = ephemeris->directionFrom(*observer);
        const auto pixel = frame.wcs.toPixel(sky);
        if (pixel && pixel->x > -0.5 && pixel->x < 2999.5 && pixel->y > -0.5 && pixel->y < 1999.5 &&
            separation(sky, frame.wcs.referenceSky).degrees() < 30.0) {
            truth.insert(e.name);
        }
    }
    EXPECT_GT(truth.size(), 40U);
    EXPECT_EQ(found, truth);
}

/// Truth: propagateTwoBody with light time iterated.
TEST(CoarseLookTest, IsWithinAnArcsecondUpToItsEccentricity) {
    const auto planets = test_support::shippedPlanets();
    const Utc time = *parseUtc("2034-03-17T22:00:00");
    const auto observer = orbit::observerAt(planets, someSite(), time);
    std::vector<orbit::Elements> orbits;
    for (const double eccentricity : {0.0, 0.1, 0.5, 0.9, 0.97, 0.98}) {
        for (int k = 0; k < 100; ++k) {
            orbit::Elements e;
            e.eccentricity = eccentricity;
            e.perihelionAu = 2.4 * (1.0 - eccentricity);
            e.inclination = Angle::degrees(12.0);
            e.node = Angle::degrees(33.0 * k);
            e.argument = Angle::degrees(7.0 * k);
            e.perihelionTime = Tdb::julian(2464039.5 + 13.6 * (k - 50));
            orbits.push_back(e);
        }
    }
    const OrbitCatalog catalog = OrbitCatalog::make(orbits);
    CoarseView view;
    view.day = observer->tdb.secondsSince(Tdb::julian(OrbitColumns::kOrigin)) / kSecondsPerDay;
    view.place = observer->place - observer->sunPlace;
    const auto later = orbit::observerAt(planets, someSite(), time.plusSeconds(86.4));
    view.velocity = 1000.0 * (later->place - observer->place);
    CoarseSky sky(orbits.size());
    lookCoarsely(catalog.columns(), 0, orbits.size(), view, sky);
    for (std::size_t i = 0; i < orbits.size(); ++i) {
        const Vec3 own{static_cast<double>(sky.x[i]),
                       static_cast<double>(sky.y[i]),
                       static_cast<double>(sky.z[i])};
        const double off =
            separation(SkyPos::fromVector(own), orbit::directionOf(orbits[i], *observer)).arcsec();
        EXPECT_LT(off, 1.0) << orbits[i].eccentricity << " " << i;
        const double speed = separation(orbit::directionOf(orbits[i], *later),
                                        orbit::directionOf(orbits[i], *observer))
                                 .radians() *
                             1000.0;
        EXPECT_GE(static_cast<double>(sky.radiansPerDay[i]), 0.99 * speed);
    }
}

TEST(OrbitCatalogTest, TheIndexGivesTheSameBodiesAndIsMadeAnewWhenAFileChanges) {
    const test_support::TemporaryFolder folder;
    const std::string common =
        R"("epoch_jd_tdb":2462560.5,"e":0.2,"i_deg":3,"node_deg":4,"peri_deg":5,"tp_jd_tdb":2462500.25)";
    const std::string table = R"([{"name":"2030 DB2","q_au":1.1,"H":20,"A1":1e-9,)" + common +
                              R"(},{"name":"1234P","q_au":2.1,)" + common + "}]";
    std::ofstream(folder / "orbits.json") << table;
    const std::vector<std::filesystem::path> files{folder / "orbits.json"};
    OrbitCatalog::Reading first;
    OrbitCatalog::Reading second;
    const auto fresh = OrbitCatalog::open(files, folder / "index", {}, first);
    const auto mapped = OrbitCatalog::open(files, folder / "index", {}, second);
    ASSERT_TRUE(fresh && mapped);
    EXPECT_FALSE(first.fromIndex);
    EXPECT_TRUE(second.fromIndex);
    ASSERT_EQ(mapped->size(), 2U);
    for (std::size_t i = 0; i < 2; ++i) {
        const auto a = fresh->elements(i);
        const auto b = mapped->elements(i);
        EXPECT_EQ(a.name, b.name);
        EXPECT_EQ(a.packed, b.packed);
        EXPECT_EQ(a.perihelionAu, b.perihelionAu);
        EXPECT_EQ(a.perihelionTime, b.perihelionTime);
        EXPECT_EQ(a.brightness.h, b.brightness.h);
        EXPECT_EQ(a.outgassing, b.outgassing);
        EXPECT_EQ(fresh->columns().p[0][i], mapped->columns().p[0][i]);
    }
    EXPECT_EQ(mapped->find("1234P"), 1U);
    EXPECT_EQ(mapped->find("K30D02B"), 0U);
    EXPECT_FALSE(mapped->find("2030 DB3"));
    std::ofstream(folder / "orbits.json") << table << "\n";
    OrbitCatalog::Reading third;
    ASSERT_TRUE(OrbitCatalog::open(files, folder / "index", {}, third));
    EXPECT_FALSE(third.fromIndex);
}

TEST(OrbitCatalogTest, ADamagedIndexIsPassedOver) {
    const test_support::TemporaryFolder folder;
    std::ofstream(folder / "orbits.json")
        << R"([{"name":"2030 DB2","epoch_jd_tdb":2462560.5,"q_au":1.1,"e":0.2,"i_deg":3,
        "node_deg":4,"peri_deg":5,"tp_jd_tdb":2462500.25}])";
    const std::vector<std::filesystem::path> files{folder / "orbits.json"};
    OrbitCatalog::Reading reading;
    ASSERT_TRUE(OrbitCatalog::open(files, folder / "index", {}, reading));
    for (const auto& entry : std::filesystem::directory_iterator(folder / "index")) {
        std::filesystem::resize_file(entry.path(), std::filesystem::file_size(entry.path()) - 7);
    }
    const auto again = OrbitCatalog::open(files, folder / "index", {}, reading);
    ASSERT_TRUE(again);
    EXPECT_FALSE(reading.fromIndex);
    EXPECT_EQ(again->size(), 1U);
}

TEST(NightsOfTest, TimesApartByMoreThanHalfADayAreTwoNights) {
    const Utc start = *parseUtc("2034-03-17T22:00:00");
    const std::vector<Utc> times{
        start.plusSeconds(90000.0), start, start.plusSeconds(20000.0), start.plusSeconds(86400.0)};
    const auto nights = nightsOf(times);
    ASSERT_EQ(nights.size(), 2U);
    EXPECT_EQ(nights[0], (std::vector<std::size_t>{1, 2}));
    EXPECT_EQ(nights[1], (std::vector<std::size_t>{3, 0}));
}

} // namespace
} // namespace pathmark::identify
