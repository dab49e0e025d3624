#include "core/identify/populations.h"

#include "core/orbit/motion/kepler.h"

#include <gtest/gtest.h>

#include <cmath>
#include <numbers>

namespace pathmark::identify {
namespace {

/// Motions that count by weights.
class Motions {
  public:
    void add(const RateOnSky& motion, double weight) { all_.emplace_back(motion, weight); }

    /// As many equal weights as would tell as much.
    [[nodiscard]] double count() const {
        double sum = 0.0;
        double squares = 0.0;
        for (const auto& [motion, weight] : all_) {
            sum += weight;
            squares += weight * weight;
        }
        return sum * sum / squares;
    }

    /// The value that a share of the weight is below: a mean means nothing where few near bodies are much faster than all others.
    [[nodiscard]] double quantile(double RateOnSky::*axis, double share) const {
        auto sorted = all_;
        std::sort(sorted.begin(), sorted.end(), [&](const auto& a, const auto& b) {
            return a.first.*axis < b.first.*axis;
        });
        double sum = 0.0;
        for (const auto& [motion, weight] : sorted) {
            sum += weight;
        }
        double below = 0.0;
        for (const auto& [motion, weight] : sorted) {
            below += weight;
            if (below >= share * sum) {
                return motion.*axis;
            }
        }
        return 0.0;
    }

  private:
    std::vector<std::pair<RateOnSky, double>> all_;
};

class PopulationsTest : public testing::Test {
  protected:
    PopulationsTest() {
        auto opened = orbit::Planets::open(std::filesystem::path(PATHMARK_SOURCE_DIR) / "data" /
                                           "planets-1995-2055.bsp");
        EXPECT_TRUE(opened);
        planets_.emplace(std::move(*opened));
        const auto now = orbit::observerAt(*planets_, {}, *parseUtc("2034-03-17T22:00:00"));
        EXPECT_TRUE(now);
        observer_ = *now;
    }

    /// So far from the point opposite to the Sun along the ecliptic, and above it; degrees.
    [[nodiscard]] SkyPos fromOpposition(double along, double above) const {
        const Vec3 away = orbit::icrsToEcliptic(observer_.place - observer_.sunPlace);
        const double longitude = std::atan2(away[1], away[0]) + along * kRadiansPerDegree;
        const double latitude = above * kRadiansPerDegree;
        return SkyPos::fromVector(orbit::eclipticToIcrs({std::cos(latitude) * std::cos(longitude),
                                                         std::cos(latitude) * std::sin(longitude),
                                                         std::sin(latitude)}));
    }

    std::optional<orbit::Planets> planets_;
    orbit::Observer observer_;
};

/// Truth: orbits drawn at random with nodes, perihelia and anomalies, moved by Kepler's equation, of which those within a few degrees of the
/// direction are taken: no density, no vis viva. They count as bright as they are.
TEST_F(PopulationsTest, MoveAsOrbitsDrawnAtRandomDoInThatDirection) {
    std::mt19937_64 random(7);
    std::uniform_real_distribution<double> turn(0.0, 2.0 * std::numbers::pi);
    for (const auto& [population, along, above] :
         {std::tuple{Population::MainBelt, 0.0, 0.0},
          std::tuple{Population::MainBelt, 60.0, 5.0},
          std::tuple{Population::NearEarth, -40.0, 8.0},
          std::tuple{Population::TransNeptunian, 20.0, -2.0}}) {
        const SkyPos direction = fromOpposition(along, above);
        Motions drawn;
        // The few near ones count for many, and are to be seen from a wider part of the sky.
        const double reach = population == Population::NearEarth ? 8.0 : 3.0;
        for (int k = 0; k < 800000; ++k) {
            const OrbitShape shape = drawOrbit(population, random);
            orbit::Elements e;
            e.epoch = observer_.tdb;
            e.perihelionAu = shape.semiMajorAu * (1.0 - shape.eccentricity);
            e.eccentricity = shape.eccentricity;
            e.inclination = shape.inclination;
            e.node = Angle::radians(turn(random));
            e.argument = Angle::radians(turn(random));
            const double period =
                2.0 * std::numbers::pi * std::sqrt(std::pow(shape.semiMajorAu, 3) / orbit::kSunGm);
            e.perihelionTime = observer_.tdb.plusSeconds(-kSecondsPerDay * period * turn(random) /
                                                         (2.0 * std::numbers::pi));
            const auto state = orbit::propagateTwoBody(e, observer_.tdb);
            const Vec3 seen = state.position + observer_.sunPlace - observer_.place;
            const SkyPos here = SkyPos::fromVector(seen);
            if (separation(here, direction).degrees() > reach) {
                continue;
            }
            const double delta = norm(seen);
            if (delta < kNearestSwept) {
                continue;
            }
            const double r = norm(state.position);
            // An hour later, from an observer that went on straight.
            const double hour = 1.0 / 24.0;
            const SkyPos later =
                SkyPos::fromVector(seen + hour * (state.velocity - observer_.velocity));
            const PlanePos moved = toTangentPlane(here, later);
            drawn.add({moved.xi / kRadiansPerArcsec / 60.0, moved.eta / kRadiansPerArcsec / 60.0},
                      std::pow(r * delta, -2.5));
        }
        ASSERT_GT(drawn.count(), 40.0);
        const auto made = motionOf(population, observer_, *planets_, direction);
        ASSERT_TRUE(made);
        Motions ours;
        for (const RateOnSky& motion : made->motions) {
            ours.add(motion, 1.0);
        }
        for (const auto axis : {&RateOnSky::east, &RateOnSky::north}) {
            const double width = drawn.quantile(axis, 0.84) - drawn.quantile(axis, 0.16);
            const double room = (0.1 + 3.0 / std::sqrt(drawn.count())) * width;
            for (const double share : {0.16, 0.5, 0.84}) {
                EXPECT_NEAR(ours.quantile(axis, share), drawn.quantile(axis, share), room)
                    << along << " " << above << " " << share << ", of " << drawn.count();
            }
        }
    }
}

TEST_F(PopulationsTest, TheOutlineHoldsNineTenths) {
    const auto made =
        motionOf(Population::MainBelt, observer_, *planets_, fromOpposition(10.0, 3.0));
    ASSERT_TRUE(made);
    std::size_t within = 0;
    for (const RateOnSky& m : made->motions) {
        bool isIn = true;
        for (std::size_t k = 0; k < made->outline.size(); ++k) {
            const RateOnSky& a = made->outline[k];
            const RateOnSky& b = made->outline[(k + 1) % made->outline.size()];
            isIn = isIn && (b.east - a.east) * (m.north - a.north) -
                                   (b.north - a.north) * (m.east - a.east) >=
                               -1e-12;
        }
        within += isIn ? 1 : 0;
    }
    EXPECT_NEAR(static_cast<double>(within) / static_cast<double>(made->motions.size()), 0.9, 0.03);
    // Near opposition they go back, to the west, at about a third of a degree in a day.
    const RateSector sector = sectorAbout(made->outline);
    EXPECT_GT(sector.least, 0.2);
    EXPECT_LT(sector.most, 1.2);
    EXPECT_GT(sector.fromDegrees, 240.0);
    EXPECT_LT(sector.toDegrees, 330.0);
}

TEST_F(PopulationsTest, TrojansAreWhereJupiterLeadsAndFollows) {
    const auto jupiter = planets_->state(orbit::SpkBody::Jupiter, observer_.tdb);
    ASSERT_TRUE(jupiter);
    const auto at = [&](double degrees) {
        const Vec3 j = orbit::icrsToEcliptic(jupiter->position - observer_.sunPlace);
        const double longitude = std::atan2(j[1], j[0]) + degrees * kRadiansPerDegree;
        const Vec3 place =
            orbit::eclipticToIcrs({5.2 * std::cos(longitude), 5.2 * std::sin(longitude), 0.0});
        return SkyPos::fromVector(place + observer_.sunPlace - observer_.place);
    };
    for (const double there : {60.0, -60.0}) {
        EXPECT_FALSE(
            motionOf(Population::Trojans, observer_, *planets_, at(there))->outline.empty());
    }
    EXPECT_TRUE(motionOf(Population::Trojans, observer_, *planets_, at(180.0))->outline.empty());
    EXPECT_EQ(sectorAbout({}).most, 0.0);
}

TEST(RateSectorTest, GoesOverNorthAndAroundZero) {
    const std::vector<RateOnSky> north{{-0.1, 1.0}, {0.1, 1.0}, {0.0, 2.0}};
    const RateSector sector = sectorAbout(north);
    EXPECT_NEAR(sector.least, 1.0, 1e-12) << "of the side between two corners";
    EXPECT_NEAR(sector.most, 2.0, 1e-12);
    EXPECT_GT(sector.fromDegrees, 350.0);
    EXPECT_LT(sector.toDegrees, 10.0);
    const std::vector<RateOnSky> about{{-1.0, -1.0}, {1.0, -1.0}, {0.0, 1.0}};
    EXPECT_EQ(sectorAbout(about).least, 0.0);
    EXPECT_EQ(sectorAbout(about).fromDegrees, sectorAbout(about).toDegrees);
}

} // namespace
} // namespace pathmark::identify
