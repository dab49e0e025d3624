#pragma once

#include "core/orbit/determine/judge.h"

namespace pathmark::orbit {

/// Where a body is and how it moves at one time, with what its orbit leaves open: the area to search, and the rates and
/// angles to search along.
struct MotionBounds {
    Utc time;
    SkyPos sky;
    SkyEllipse place; ///< one standard deviation; of a cloud the spread of its orbits
    double rateArcsecPerMin = 0.0;
    double leastRate = 0.0; ///< 95 %, arcsec/min
    double mostRate = 0.0;
    Angle positionAngle; ///< of the motion
    Angle angleSpread;   ///< 95 %: the angle lies within so much of it, to both sides
    std::optional<double> magnitude;
};

/// Bounds from a fitted orbit with its covariance.
///
/// Model    Linear: the orbit is moved by one standard deviation along each axis of its covariance, with all that pulls;
///          the squares of what place and rate change by are added. 95 % is 1.96 standard deviations.
/// Errors   those of the motion
/// Cost     Twelve integrations from the epoch: milliseconds each.
Result<MotionBounds>
boundsOf(const OrbitFit& fit, const Planets& planets, const Observer& observer);

/// Bounds from the orbits of a cloud, each weighted by its likelihood; two bodies.
MotionBounds boundsOf(const OrbitCloud& cloud, const Planets& planets, const Observer& observer);

/// Tonight's observations against the orbit without them, weighted means in arcsec on the sky.
struct TonightSummary {
    int count = 0;
    double raMean = 0.0;
    double raError = 0.0; ///< of the mean, by the observations' own errors
    double decMean = 0.0;
    double decError = 0.0;
    double orbitRaArcsec = 0.0; ///< what the orbit without them is uncertain by at that time
    double orbitDecArcsec = 0.0;

    /// The means lie within 3.5 standard deviations of all that is uncertain.
    [[nodiscard]] bool agrees() const;
};

/// Those that are switched off have no part; nothing where there is no orbit without tonight's.
std::optional<TonightSummary>
tonightOf(const OrbitJudgement& judgement, const OrbitCase& given, const Planets& planets);

/// What all orbits of a cloud have in common: least and most.
struct CloudRanges {
    struct Range {
        double least = 0.0;
        double most = 0.0;
    };

    Range distanceAu; ///< from the observer, at the middle sighting
    Range perihelionAu;
    Range eccentricity;
    Range inclinationDegrees;
};

/// Domain   A cloud with an orbit at least.
CloudRanges rangesOf(const OrbitCloud& cloud);

/// One standard deviation of the elements of a fit, by the same linear steps.
struct ElementErrors {
    double perihelionAu = 0.0;
    double eccentricity = 0.0;
    Angle inclination;
    Angle node;
    Angle argument;
    double perihelionDays = 0.0; ///< of the perihelion's time
};

ElementErrors elementErrorsOf(const OrbitFit& fit);

} // namespace pathmark::orbit
