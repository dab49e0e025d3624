#pragma once

#include "core/catalog/band.h"

#include <optional>

namespace pathmark::measure {

/// Where a comet was when its light was measured.
struct CometDistance {
    double sunAu = 0.0;
    double earthAu = 0.0;
};

/// The Sun's apparent magnitude in a band.
///
/// Source   Willmer 2018, ApJS 236, 47 (Johnson, Cousins; Sloan in AB); Casagrande & VandenBerg 2018, MNRAS 479, L102 (Gaia G).
double sunMagnitude(catalog::Band band);

/// How much dust light scatters from within a circle about a comet: albedo x filling factor x radius. The same at every radius in a
/// coma that flows out steadily. No correction for the phase.
///
/// Units    centimetres
/// Source   A'Hearn et al. 1984, AJ 89, 579.
double afrhoCentimetres(double magnitude,
                        catalog::Band band,
                        double radiusArcsec,
                        const CometDistance& distance);

} // namespace pathmark::measure
