#pragma once

namespace pathmark::measure {

/// What a light was taken with, as far as the air's twinkling goes.
struct Twinkling {
    double apertureMetres = 0.0; ///< > 0
    double altitudeMetres = 0.0; ///< of the site
    double airmass = 1.0;
    double exposureSeconds = 0.0; ///< > 0
};

/// One standard deviation of a light by scintillation, relative to it: sqrt(10^-5 C^2 D^(-4/3) / t X^3 exp(-2 h / 8 km)), C = 1.5, the
/// median of the sites that were measured; from night to night and site to site half and twice that.
///
/// Source   Osborn et al. 2015, MNRAS 452, 1707, equation 7.
double scintillation(const Twinkling& taken);

/// Lengths of the way through the air in those of the zenith, up to ten.
///
/// Shapes   `sineOfAltitude`: of the place above the horizon
double airmassAt(double sineOfAltitude);

} // namespace pathmark::measure
