#include "core/identify/populations.h"

#include "core/orbit/motion/kepler.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace pathmark::identify {
namespace {

constexpr int kOrbits = 3000;
constexpr int kPlacesOfEach = 4; ///< along the line of sight
constexpr std::size_t kMotions = 2000;
constexpr double kOutlined = 0.9;
constexpr double kTrojanScatter = 12.0; ///< degrees about 60 before and behind Jupiter
constexpr double kSizeSlope = 2.5;      ///< of numbers over diameters
constexpr double kTwoPi = 2.0 * std::numbers::pi;

/// What a population is made of.
struct Range {
    double nearest; ///< semimajor axes, au
    double farthest;
    double eccentricity; ///< of a Rayleigh distribution
    double mostEccentric;
    double inclination; ///< degrees, likewise
    double mostInclined;
};

Range rangeOf(Population population) {
    switch (population) {
    case Population::MainBelt: return {2.15, 3.25, 0.11, 0.32, 8.0, 30.0};
    case Population::NearEarth: return {0.85, 2.9, 0.4, 0.9, 12.0, 50.0};
    case Population::Trojans: return {5.08, 5.32, 0.06, 0.2, 11.0, 35.0};
    case Population::TransNeptunian: break;
    }
    return {39.0, 48.0, 0.08, 0.3, 6.0, 35.0};
}

double rayleigh(double sigma, double most, std::mt19937_64& random) {
    const double all = 1.0 - std::exp(-0.5 * most * most / (sigma * sigma));
    const double u = std::uniform_real_distribution<double>(0.0, 1.0)(random);
    return sigma * std::sqrt(-2.0 * std::log(1.0 - all * u));
}

/// A motion with the number of bodies that show it.
struct Weighted {
    RateOnSky motion;
    double weight = 0.0;
};

/// What an observer sees of bodies in one direction.
class LineOfSight {
  public:
    LineOfSight(const orbit::Observer& observer, const SkyPos& direction)
        : observer_(observer), towards_(direction.vector()),
          fromSun_(observer.place - observer.sunPlace) {
        const double ra = direction.longitude.radians();
        const double dec = direction.latitude.radians();
        east_ = {-std::sin(ra), std::cos(ra), 0.0};
        north_ = {-std::sin(dec) * std::cos(ra), -std::sin(dec) * std::sin(ra), std::cos(dec)};
    }

    void setTrojansOf(double jupiterLongitude) { jupiter_ = jupiterLongitude; }

    /// Of one orbit at some distances by lot.
    void add(const OrbitShape& orbit, std::mt19937_64& random, std::vector<Weighted>& all) const {
        const double aphelion = orbit.semiMajorAu * (1.0 + orbit.eccentricity);
        const double farthest = aphelion + norm(fromSun_);
        std::uniform_real_distribution<double> distance(kNearestSwept, farthest);
        for (int k = 0; k < kPlacesOfEach; ++k) {
            addAt(orbit, distance(random), farthest, all);
        }
    }

  private:
    void
    addAt(const OrbitShape& orbit, double delta, double stretch, std::vector<Weighted>& all) const {
        const Vec3 place = fromSun_ + delta * towards_;
        const double r = norm(place);
        const double near = orbit.semiMajorAu * (1.0 - orbit.eccentricity);
        const double far = orbit.semiMajorAu * (1.0 + orbit.eccentricity);
        const Vec3 ecliptic = orbit::icrsToEcliptic(place);
        const double sinLatitude = ecliptic[2] / r;
        const double sinTilt = std::sin(orbit.inclination.radians());
        const double room = sinTilt * sinTilt - sinLatitude * sinLatitude;
        if (r <= near || r >= far || room <= 0.0) {
            return;
        }
        const double density =
            1.0 / (r * orbit.semiMajorAu * std::sqrt(room * (r - near) * (far - r)));
        const double weight = density * delta * delta * stretch * std::pow(r * delta, -kSizeSlope) *
                              trojanShare(ecliptic);
        // Vis viva and the constant of areas; the two ways over the place that the inclination allows.
        const double gm = orbit::kSunGm;
        const double across =
            std::sqrt(gm * orbit.semiMajorAu * (1.0 - orbit.eccentricity * orbit.eccentricity)) / r;
        const double along =
            std::sqrt(std::max(0.0, gm * (2.0 / r - 1.0 / orbit.semiMajorAu) - across * across));
        const double cosLatitude = std::sqrt(1.0 - sinLatitude * sinLatitude);
        const double eastShare = std::cos(orbit.inclination.radians()) / cosLatitude;
        const double northShare = std::sqrt(std::max(0.0, 1.0 - eastShare * eastShare));
        const Vec3 outward = (1.0 / r) * place;
        const double flat = std::hypot(ecliptic[0], ecliptic[1]);
        const Vec3 ahead = orbit::eclipticToIcrs({-ecliptic[1] / flat, ecliptic[0] / flat, 0.0});
        const Vec3 up = orbit::eclipticToIcrs(
            {-sinLatitude * ecliptic[0] / flat, -sinLatitude * ecliptic[1] / flat, cosLatitude});
        for (const double radial : {-along, along}) {
            for (const double rising : {-northShare, northShare}) {
                const Vec3 velocity =
                    radial * outward + (across * eastShare) * ahead + (across * rising) * up;
                all.push_back({motionOf(velocity, delta), weight});
            }
        }
    }

    [[nodiscard]] RateOnSky motionOf(const Vec3& velocity, double delta) const {
        const Vec3 relative = velocity - observer_.velocity;
        const double minute = 1.0 / (delta * kRadiansPerArcsec * 1440.0);
        return {minute * dot(relative, east_), minute * dot(relative, north_)};
    }

    [[nodiscard]] double trojanShare(const Vec3& ecliptic) const {
        if (!std::isfinite(jupiter_)) {
            return 1.0;
        }
        const double apart =
            std::abs(std::remainder(std::atan2(ecliptic[1], ecliptic[0]) - jupiter_, kTwoPi)) /
            kRadiansPerDegree;
        const double off = (apart - 60.0) / kTrojanScatter;
        return std::abs(off) > 3.0 ? 0.0 : std::exp(-0.5 * off * off);
    }

    const orbit::Observer& observer_;
    Vec3 towards_;
    Vec3 fromSun_;
    Vec3 east_{};
    Vec3 north_{};
    double jupiter_ =
        std::numeric_limits<double>::quiet_NaN(); ///< longitude, radians; NaN: of no concern
};

/// As many of each motion as its weight says, evenly by one lot.
std::vector<RateOnSky> byWeight(const std::vector<Weighted>& all) {
    double sum = 0.0;
    for (const Weighted& one : all) {
        sum += one.weight;
    }
    std::vector<RateOnSky> chosen;
    double reached = 0.0;
    const double step = sum / static_cast<double>(kMotions);
    for (const Weighted& one : all) {
        reached += one.weight;
        while (sum > 0.0 && (static_cast<double>(chosen.size()) + 0.5) * step < reached) {
            chosen.push_back(one.motion);
        }
    }
    return chosen;
}

double cross(const RateOnSky& o, const RateOnSky& a, const RateOnSky& b) {
    return (a.east - o.east) * (b.north - o.north) - (a.north - o.north) * (b.east - o.east);
}

/// Source   Andrew 1979, Inf. Proc. Lett. 9, 216 (monotone chain).
std::vector<RateOnSky> hullOf(std::vector<RateOnSky> points) {
    std::sort(points.begin(), points.end(), [](const RateOnSky& a, const RateOnSky& b) {
        return a.east != b.east ? a.east < b.east : a.north < b.north;
    });
    std::vector<RateOnSky> hull;
    for (int side = 0; side < 2; ++side) {
        const std::size_t start = hull.size();
        for (const RateOnSky& point : points) {
            while (hull.size() >= start + 2 &&
                   cross(hull[hull.size() - 2], hull.back(), point) <= 0.0) {
                hull.pop_back();
            }
            hull.push_back(point);
        }
        hull.pop_back(); // begins the other side
        std::reverse(points.begin(), points.end());
    }
    return hull;
}

/// The points nearest to the middle of all, in the measure of their own scatter.
std::vector<RateOnSky> central(const std::vector<RateOnSky>& points) {
    std::vector<RateOnSky> kept = points;
    // Twice, so that what is far off does not say what far is.
    for (const double share : {0.95, kOutlined}) {
        double east = 0.0;
        double north = 0.0;
        for (const RateOnSky& p : kept) {
            east += p.east / static_cast<double>(kept.size());
            north += p.north / static_cast<double>(kept.size());
        }
        double ee = 1e-12;
        double en = 0.0;
        double nn = 1e-12;
        for (const RateOnSky& p : kept) {
            ee += (p.east - east) * (p.east - east);
            en += (p.east - east) * (p.north - north);
            nn += (p.north - north) * (p.north - north);
        }
        const auto distance = [&](const RateOnSky& p) {
            const double e = p.east - east;
            const double n = p.north - north;
            return nn * e * e - 2.0 * en * e * n + ee * n * n;
        };
        kept = points;
        std::sort(kept.begin(), kept.end(), [&](const RateOnSky& a, const RateOnSky& b) {
            return distance(a) < distance(b);
        });
        kept.resize(static_cast<std::size_t>(share * static_cast<double>(points.size())));
    }
    return kept;
}

} // namespace

OrbitShape drawOrbit(Population population, std::mt19937_64& random) {
    const Range range = rangeOf(population);
    std::uniform_real_distribution<double> axis(range.nearest, range.farthest);
    OrbitShape orbit;
    for (;;) {
        orbit.semiMajorAu = axis(random);
        orbit.eccentricity = rayleigh(range.eccentricity, range.mostEccentric, random);
        orbit.inclination = Angle::degrees(rayleigh(range.inclination, range.mostInclined, random));
        const double near = orbit.semiMajorAu * (1.0 - orbit.eccentricity);
        const double far = orbit.semiMajorAu * (1.0 + orbit.eccentricity);
        const bool isNear = near < 1.3 && far > 0.983;
        if (population == Population::NearEarth ? isNear : near > 1.6) {
            return orbit;
        }
    }
}

Result<PopulationMotion> motionOf(Population population,
                                  const orbit::Observer& observer,
                                  const orbit::Planets& planets,
                                  const SkyPos& direction) {
    LineOfSight line(observer, direction);
    if (population == Population::Trojans) {
        const auto jupiter = planets.state(orbit::SpkBody::Jupiter, observer.tdb);
        if (!jupiter) {
            return fail(jupiter.error());
        }
        const Vec3 ecliptic = orbit::icrsToEcliptic(jupiter->position - observer.sunPlace);
        line.setTrojansOf(std::atan2(ecliptic[1], ecliptic[0]));
    }
    std::mt19937_64 random(20340317); // the same plane is drawn every time
    std::vector<Weighted> all;
    for (int k = 0; k < kOrbits; ++k) {
        line.add(drawOrbit(population, random), random, all);
    }
    PopulationMotion result;
    result.population = population;
    result.motions = byWeight(all);
    if (result.motions.size() > 2) {
        result.outline = hullOf(central(result.motions));
    }
    return result;
}

RateSector sectorAbout(std::span<const RateOnSky> outline) {
    RateSector sector;
    if (outline.empty()) {
        return sector;
    }
    std::vector<double> angles;
    sector.least = 1e9;
    bool hasZero = outline.size() > 2;
    for (std::size_t k = 0; k < outline.size(); ++k) {
        const RateOnSky& a = outline[k];
        const RateOnSky& b = outline[(k + 1) % outline.size()];
        hasZero = hasZero && cross(a, b, {0.0, 0.0}) >= 0.0;
        // Of the side, too, not of its ends alone.
        const double e = b.east - a.east;
        const double n = b.north - a.north;
        const double t =
            std::clamp(-(a.east * e + a.north * n) / std::max(1e-18, e * e + n * n), 0.0, 1.0);
        sector.least = std::min(sector.least, std::hypot(a.east + t * e, a.north + t * n));
        sector.most = std::max(sector.most, std::hypot(a.east, a.north));
        angles.push_back(normalised(Angle::radians(std::atan2(a.east, a.north))).degrees());
    }
    if (hasZero) {
        sector.least = 0.0;
        return sector;
    }
    // The widest gap between directions is what the sector leaves out.
    std::sort(angles.begin(), angles.end());
    double widest = angles.front() + 360.0 - angles.back();
    sector.fromDegrees = angles.front();
    sector.toDegrees = angles.back();
    for (std::size_t k = 1; k < angles.size(); ++k) {
        if (angles[k] - angles[k - 1] > widest) {
            widest = angles[k] - angles[k - 1];
            sector.fromDegrees = angles[k];
            sector.toDegrees = angles[k - 1];
        }
    }
    return sector;
}

} // namespace pathmark::identify
