#pragma once

#include "core/orbit/elements.h"
#include "core/orbit/motion/planets.h"

#include <array>

namespace pathmark::orbit {

/// Speed of light, au/day (IAU: 299792458 m/s and 149597870700 m).
constexpr double kLightAuPerDay = 299792.458 / kKilometresPerAu * kSecondsPerDay;

/// A body that pulls: its mass and how near one can come before meeting it.
struct Attractor {
    SpkBody body;
    double gm; ///< au^3 / day^2
    double radiusAu;
};

constexpr double radiusOf(double kilometres) {
    return kilometres / kKilometresPerAu;
}

constexpr double gmFromKilometres(double gm) {
    return gm * kSecondsPerDay * kSecondsPerDay /
           (kKilometresPerAu * kKilometresPerAu * kKilometresPerAu);
}

constexpr double kEarthMoonGm = 8.99701139019987e-10;
constexpr double kEarthMoonMassRatio = 81.3005690699;            // of the kernel that ships
constexpr double kMoonShare = 1.0 / (1.0 + kEarthMoonMassRatio); // of the mass of both

/// Sun, planets and Moon.
///
/// Source   Masses: Folkner et al. 2014, IPN Progress Report 42-196, table 8 (DE430/431); radii: Archinal
///          et al. 2018, Celest. Mech. Dyn. Astr. 130, 22.
constexpr std::array<Attractor, 11> kMajorBodies{{
    {SpkBody::Sun, kSunGm, radiusOf(695700.0)},
    {SpkBody::Mercury, 4.91248045036476e-11, radiusOf(2440.5)},
    {SpkBody::Venus, 7.24345233264412e-10, radiusOf(6051.8)},
    {SpkBody::Earth, kEarthMoonGm*(1.0 - kMoonShare), radiusOf(6371.0)},
    {SpkBody::Moon, kEarthMoonGm* kMoonShare, radiusOf(1737.4)},
    {SpkBody::Mars, 9.54954869555077e-11, radiusOf(3389.5)},
    {SpkBody::Jupiter, 2.82534584083387e-7, radiusOf(69911.0)},
    {SpkBody::Saturn, 8.45970607324503e-8, radiusOf(58232.0)},
    {SpkBody::Uranus, 1.29202482578296e-8, radiusOf(25362.0)},
    {SpkBody::Neptune, 1.52435734788511e-8, radiusOf(24622.0)},
    {SpkBody::Pluto, 2.17844105197418e-12, radiusOf(1188.3)},
}};

/// The sixteen minor planets that pull most; used where a kernel holds their places.
///
/// Source   Park et al. 2021, AJ 161, 105 (DE440), km^3/s^2.
constexpr std::array<Attractor, 16> kMinorAttractors{{
    {minorPlanet(1), gmFromKilometres(62.62888864440993), radiusOf(470.0)},
    {minorPlanet(2), gmFromKilometres(13.66587814596742), radiusOf(256.0)},
    {minorPlanet(3), gmFromKilometres(1.920570700202589), radiusOf(123.0)},
    {minorPlanet(4), gmFromKilometres(17.28823287917151), radiusOf(262.7)},
    {minorPlanet(7), gmFromKilometres(1.1398723232184107), radiusOf(100.0)},
    {minorPlanet(10), gmFromKilometres(5.6251476453852289), radiusOf(215.0)},
    {minorPlanet(15), gmFromKilometres(2.0230209871098284), radiusOf(116.0)},
    {minorPlanet(16), gmFromKilometres(1.5896582441709424), radiusOf(111.0)},
    {minorPlanet(31), gmFromKilometres(1.0793714577033560), radiusOf(134.0)},
    {minorPlanet(52), gmFromKilometres(2.6830359242821795), radiusOf(151.0)},
    {minorPlanet(65), gmFromKilometres(0.93810575639151328), radiusOf(119.0)},
    {minorPlanet(87), gmFromKilometres(2.1682320736996910), radiusOf(127.0)},
    {minorPlanet(88), gmFromKilometres(1.1898077088121908), radiusOf(116.0)},
    {minorPlanet(107), gmFromKilometres(1.4437384031866001), radiusOf(127.0)},
    {minorPlanet(511), gmFromKilometres(3.8944831481705644), radiusOf(135.0)},
    {minorPlanet(704), gmFromKilometres(2.8304096393299849), radiusOf(153.0)},
}};

} // namespace pathmark::orbit
