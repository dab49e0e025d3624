#pragma once

#include "core/orbit/place/ephemeris.h"

#include <array>
#include <random>
#include <span>
#include <string>
#include <vector>

namespace pathmark::identify {

/// A motion over the sky, arcsec per minute.
struct RateOnSky {
    double east = 0.0;
    double north = 0.0;
};

enum class Population { MainBelt, NearEarth, Trojans, TransNeptunian };

inline constexpr std::array kPopulations{
    Population::MainBelt, Population::NearEarth, Population::Trojans, Population::TransNeptunian};

/// What shapes an orbit and tilts it.
struct OrbitShape {
    double semiMajorAu = 1.0;
    double eccentricity = 0.0;
    Angle inclination;
};

/// One orbit of a population, by lot.
///
/// Model    Semimajor axes uniform between bounds, eccentricities and inclinations Rayleigh-distributed, cut to what the population is
///          defined by (near-Earth: a perihelion within 1.3 au and an aphelion beyond 0.983 au).
OrbitShape drawOrbit(Population population, std::mt19937_64& random);

/// Nearer ones show in single frames, au.
inline constexpr double kNearestSwept = 0.1;

/// Where bodies of a population move that stand in one direction.
struct PopulationMotion {
    Population population = Population::MainBelt;
    std::vector<RateOnSky> motions; ///< by lot; as many in each place as bodies show there
    std::vector<RateOnSky>
        outline; ///< convex, about the nine tenths that are nearest to the middle; empty: none are there
};

/// The motion of bodies that an observer sees in a direction.
///
/// Model    Orbits of the population with nodes, perihelia and anomalies at random: the density of one orbit in space, the two ways
///          through a place that its inclination allows, inwards and outwards. Of a population whose numbers go as D^-2.5 with the diameter
///          those show that are bright enough, so that a place counts by (r delta)^-2.5. None is nearer than kNearestSwept. Trojans stand 60 degrees before and behind Jupiter, with
///          a scatter of 12.
/// Source   Kessler 1981, Icarus 48, 39 (density in space); Dohnanyi 1969, JGR 74, 2531 (sizes).
/// Errors   orbit.outside_ephemeris  Jupiter's place, for Trojans
Result<PopulationMotion> motionOf(Population population,
                                  const orbit::Observer& observer,
                                  const orbit::Planets& planets,
                                  const SkyPos& direction);

/// A sector of rates and position angles about an outline.
struct RateSector {
    double least = 0.0;
    double most = 0.0;
    double fromDegrees = 0.0; ///< turning east to `toDegrees`; equal: all directions
    double toDegrees = 0.0;

    friend bool operator==(const RateSector&, const RateSector&) = default;
};

RateSector sectorAbout(std::span<const RateOnSky> outline);

} // namespace pathmark::identify
