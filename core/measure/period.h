#pragma once

#include <optional>
#include <span>
#include <vector>

namespace pathmark::measure {

/// A point of a light curve.
struct CurvePoint {
    double days = 0.0;
    double mag = 0.0;
    double error = 0.0;
    int group = 0; ///< points of one group share a free level: a night, a station
};

struct PeriodRange {
    double shortestDays = 0.0;
    double longestDays = 0.0;
};

/// The period that a light curve repeats with.
struct Period {
    double days = 0.0;
    double error = 0.0;
    int harmonics = 2;
    double amplitude = 0.0; ///< from the faintest to the brightest of the curve
    double amplitudeError = 0.0;
    double chiSquare = 0.0; ///< reduced
    double falseAlarmLog10 = 0.0;
    std::vector<double> aliasDays; ///< others that the points allow as well, the likeliest first
};

/// From four times the usual step between points to the whole span.
PeriodRange usualRange(std::span<const CurvePoint> points);

/// How well a period fits.
struct TrialPeriod {
    double days = 0.0;
    double gain =
        0.0; ///< share of the scatter about the levels that a curve of this period takes away
};

/// The gain of every period of a range, the longest first; empty where findPeriod would say nothing.
std::vector<TrialPeriod>
periodogram(std::span<const CurvePoint> points, const PeriodRange& range, int harmonics);

/// The curve of a period by its phase: at so many even steps from the first point's phase on, without a level.
std::vector<double>
foldedCurve(std::span<const CurvePoint> points, double days, int harmonics, int steps);

/// Searches a period by Fourier series of two harmonics, as a body that turns has two maxima, and of more where the points bear it.
///
/// Model    mag = level(group) + sum a cos + b sin (2 pi k t / P), weighted least squares; frequencies in steps of a twentieth of
///          one over the span. The error is where chi-square rises by its share of one degree of freedom; the false alarm is that
///          of an F test times the number of frequencies that are apart. Another period is an alias where chi-square is lowest about it
///          and no higher than three sigma of one period would have it.
/// Returns  Nothing with fewer than ten points, a range without a frequency, or where no curve is better than a level.
/// Source   Lomb 1976, Ap&SS 39, 447; Schwarzenberg-Czerny 1996, ApJ 460, L107 (several harmonics); Harris & Lupishko 1989, Asteroids
///          II, 39 (Fourier series of light curves).
std::optional<Period> findPeriod(std::span<const CurvePoint> points, const PeriodRange& range);

} // namespace pathmark::measure
