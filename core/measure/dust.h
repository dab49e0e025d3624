#pragma once

#include "core/base/angle.h"
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

/// How much of its light at phase zero dust scatters at a phase; nothing beyond 50 degrees, where no measurement stands behind it.
///
/// Model    log10 = -0.01807 a + 0.000177 a^2, a in degrees
/// Source   Schleicher, Millis & Birch 1998, Icarus 132, 397.
std::optional<double> dustPhase(Angle phase);

} // namespace pathmark::measure
