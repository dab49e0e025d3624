#include "simulate/catalogue.h"

#include "simulate/optics.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace pathmark::simulate {
namespace {

constexpr double kCountSlope = 0.30; ///< dex a magnitude

/// Puts a star so many degrees from a place, in a direction from the north by the east. Near a pole, where degrees of right
/// ascension lose their meaning, through the tangent plane.
void placeBeside(SimStar& star, double ra, double dec, double distance, double angle) {
    constexpr double polar = 80.0;
    if (std::abs(dec) < polar) {
        star.decDegrees = dec + distance * std::cos(angle);
        star.raDegrees =
            ra + distance * std::sin(angle) / std::cos(star.decDegrees * kRadiansPerDegree);
    } else {
        const double r = std::tan(distance * kRadiansPerDegree);
        const SkyPos place =
            fromTangentPlane(skyDegrees(ra, dec), {r * std::sin(angle), r * std::cos(angle)});
        star.raDegrees = place.longitude.degrees();
        star.decDegrees = place.latitude.degrees();
    }
    if (star.raDegrees < 0.0 || star.raDegrees >= 360.0) {
        star.raDegrees -= 360.0 * std::floor(star.raDegrees / 360.0);
    }
}

SimStar drawStar(const Scenario& scenario,
                 const FieldScenario& field,
                 const NoiseHash& hash,
                 std::uint64_t i) {
    SimStar star;
    const double r = field.radiusDegrees * std::sqrt(hash.uniform(i, 0));
    const double angle = 2.0 * std::numbers::pi * hash.uniform(i, 1);
    placeBeside(star, field.raDegrees, field.decDegrees, r, angle);
    // Inverse of the cumulative counts between the limits.
    const double low = std::pow(10.0, kCountSlope * (scenario.brightestMag - scenario.faintestMag));
    star.magG =
        scenario.faintestMag + std::log10(low + (1.0 - low) * hash.uniform(i, 2)) / kCountSlope;
    star.colour =
        std::clamp(0.75 + 0.05 * (star.magG - 13.0) + 0.35 * hash.normal(i + 1000003), 0.1, 3.0);
    const double scale = star.magG < 14.0 ? 12.0 : 5.0;
    star.pmRaMas = scale * hash.normal(i + 2000003);
    star.pmDecMas = scale * hash.normal(i + 3000017) - 2.0;
    star.parallaxMas = 0.3 - 0.7 * std::log(hash.uniform(i, 3));
    star.id = static_cast<std::int64_t>(4'100'000'000'000'000'000ULL +
                                        static_cast<std::uint64_t>(hash.uniform(i + 77, 1) * 1e17));
    return star;
}

} // namespace

double SimStar::magnitude(const std::string& band) const {
    const double c = colour;
    if (band == "V") {
        return magG - (-0.02704 + c * (0.01424 + c * (-0.2156 + c * 0.01426)));
    }
    if (band == "R") {
        return magG - (-0.02275 + c * (0.3961 + c * (-0.1243 + c * (-0.01396 + c * 0.003775))));
    }
    return magG;
}

Vec3 SimStar::direction(const Utc& time, const Vec3& earth) const {
    const double years = (time.julian() - 2457388.5 - 0.5) / 365.25; // from 2016.0
    const double mas = kRadiansPerDegree / 3.6e6;
    const Vec3 start = unitVector(raDegrees, decDegrees);
    const auto [east, north] = axesAt(start);
    const Vec3 moved = start + (pmRaMas * years * mas) * east + (pmDecMas * years * mas) * north -
                       (parallaxMas * mas) * earth;
    return (1.0 / norm(moved)) * moved;
}

double bodyMagnitude(double magnitudeV, const std::string& band) {
    SimStar grey;
    grey.colour = kBodyColour;
    return magnitudeV + grey.magnitude(band) - grey.magnitude("V");
}

std::vector<SimStar> makeStars(const Scenario& scenario) {
    std::vector<SimStar> stars;
    std::uint64_t number = 0;
    for (const FieldScenario& field : scenario.fields) {
        const NoiseHash hash = NoiseHash(scenario.seed).child(100 + number++);
        const double area = std::numbers::pi * field.radiusDegrees * field.radiusDegrees;
        const auto count = static_cast<std::uint64_t>(area * field.starsPerSquareDegree);
        for (std::uint64_t i = 0; i < count; ++i) {
            stars.push_back(drawStar(scenario, field, hash, i));
            if (hash.uniform(i + 55, 2) < 0.03) {
                // A companion a few arcseconds away that moves along.
                SimStar second = stars.back();
                const double distance = (1.0 + 5.0 * hash.uniform(i + 56, 0)) / 3600.0;
                const double angle = 2.0 * std::numbers::pi * hash.uniform(i + 57, 0);
                placeBeside(
                    second, stars.back().raDegrees, stars.back().decDegrees, distance, angle);
                second.magG =
                    std::min(scenario.faintestMag, second.magG + 2.5 * hash.uniform(i + 58, 0));
                second.id += 1;
                stars.push_back(second);
            }
        }
    }
    return stars;
}

} // namespace pathmark::simulate
